"""The few words that Gonnet writes into documents by itself, in the languages it knows."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Words:
    """What a document says where the job says nothing; `{}` is filled in."""

    yes: str = "yes"
    no: str = "no"
    page_count: str = "page {} of {}"
    total: str = "Total"
    empty: str = "No rows."
    rest: str = "and {} more"
    sheet: str = "Report"
    contents: str = "Contents"
    chart: str = "Chart"
    up_to: str = "up to {}"
    over: str = "over {}"
    everyone: str = "All"
    average: str = "Average"
    target: str = "Target"
    of_everyone: tuple[str, str, str, str] = ("average", "lower quartile", "middle", "upper quartile")
    place: str = "Place"
    rank: str = "{} of {}"
    week: str = "W{} {}"
    half: str = "H{} {}"


_ENGLISH = Words()
_KNOWN = {
    "en": _ENGLISH,
    "da": Words(
        yes="ja", no="nej", page_count="side {} af {}", total="I alt", empty="Ingen rækker.", rest="og {} mere",
        place="Placering", sheet="Rapport", up_to="op til {}", over="over {}", everyone="Alle", average="Gennemsnit",
        target="Mål", of_everyone=("gennemsnit", "nedre kvartil", "median", "øvre kvartil"), rank="{} af {}",
        week="uge {} {}", half="{}. halvår {}",
        contents="Indhold", chart="Diagram",
    ),
    "de": Words(
        yes="ja", no="nein", page_count="Seite {} von {}", total="Summe", empty="Keine Zeilen.", rest="und {} weitere",
        place="Rang", sheet="Bericht", up_to="bis {}", over="über {}", everyone="Alle", average="Durchschnitt",
        target="Ziel", of_everyone=("Durchschnitt", "unteres Quartil", "Median", "oberes Quartil"), rank="{} von {}",
        week="KW {} {}", half="{}. Halbjahr {}",
        contents="Inhalt", chart="Diagramm",
    ),
    "es": Words(
        yes="sí", no="no", page_count="página {} de {}", total="Total", empty="Ninguna fila.", rest="y {} más",
        place="Puesto", sheet="Informe", up_to="hasta {}", over="más de {}", everyone="Todos", average="Media",
        target="Objetivo", of_everyone=("media", "cuartil inferior", "mediana", "cuartil superior"), rank="{} de {}",
        week="semana {} de {}", half="semestre {} de {}",
        contents="Índice", chart="Gráfico",
    ),
    "fr": Words(
        yes="oui", no="non", page_count="page {} sur {}", total="Total", empty="Aucune ligne.", rest="et {} de plus",
        place="Rang", sheet="Rapport", up_to="jusqu’à {}", over="plus de {}", everyone="Ensemble", average="Moyenne",
        target="Cible", of_everyone=("moyenne", "quartile inférieur", "médiane", "quartile supérieur"),
        rank="{} sur {}", week="semaine {} de {}", half="semestre {} {}",
        contents="Sommaire", chart="Graphique",
    ),
    "it": Words(
        yes="sì", no="no", page_count="pagina {} di {}", total="Totale", empty="Nessuna riga.", rest="e altre {}",
        place="Posizione", sheet="Rapporto", up_to="fino a {}", over="oltre {}", everyone="Tutti", average="Media",
        target="Obiettivo", of_everyone=("media", "quartile inferiore", "mediana", "quartile superiore"),
        rank="{} di {}", week="settimana {} del {}", half="semestre {} {}",
        contents="Indice", chart="Grafico",
    ),
    "nl": Words(
        yes="ja", no="nee", page_count="pagina {} van {}", total="Totaal", empty="Geen regels.", rest="en nog {}",
        place="Plaats", sheet="Rapport", up_to="tot en met {}", over="meer dan {}", everyone="Allen",
        average="Gemiddelde", target="Doel",
        of_everyone=("gemiddelde", "onderste kwartiel", "mediaan", "bovenste kwartiel"), rank="{} van {}",
        week="week {} {}", half="{}e halfjaar {}",
        contents="Inhoud", chart="Grafiek",
    ),
    "pl": Words(
        yes="tak", no="nie", page_count="strona {} z {}", total="Razem", empty="Brak wierszy.", rest="i jeszcze {}",
        place="Miejsce", sheet="Raport", up_to="do {}", over="ponad {}", everyone="Wszyscy", average="Średnia",
        target="Cel", of_everyone=("średnia", "dolny kwartyl", "mediana", "górny kwartyl"), rank="{} z {}",
        week="tydzień {} {}", half="{}. półrocze {}",
        contents="Spis treści", chart="Wykres",
    ),
    "pt": Words(
        yes="sim", no="não", page_count="página {} de {}", total="Total", empty="Nenhuma linha.", rest="e mais {}",
        place="Posição", sheet="Relatório", up_to="até {}", over="mais de {}", everyone="Todos", average="Média",
        target="Meta", of_everyone=("média", "quartil inferior", "mediana", "quartil superior"), rank="{} de {}",
        week="semana {} de {}", half="{}.º semestre de {}",
        contents="Índice", chart="Gráfico",
    ),
    "sv": Words(
        yes="ja", no="nej", page_count="sida {} av {}", total="Summa", empty="Inga rader.", rest="och {} till",
        place="Placering", sheet="Rapport", up_to="upp till {}", over="över {}", everyone="Alla", average="Genomsnitt",
        target="Mål", of_everyone=("genomsnitt", "undre kvartil", "median", "övre kvartil"), rank="{} av {}",
        week="vecka {} {}", half="{}:a halvåret {}",
        contents="Innehåll", chart="Diagram",
    ),
}  # fmt: skip


def words_of(locale: str) -> Words:
    """The words of a CLDR locale; English where Gonnet has none of its language."""
    return _KNOWN.get(locale.split("_")[0], _ENGLISH)


def has_words(locale: str) -> bool:
    """Whether Gonnet has words of its own in this language."""
    return locale.split("_")[0] in _KNOWN
