"""The documents of one package, and how its files travel and where they are put."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from functools import partial
from pathlib import PurePath
from typing import Literal

from gonnet.errors import DataError
from gonnet.jobs.contents import DocumentSpec
from gonnet.jobs.models import Job
from gonnet.jobs.people import Bundle
from gonnet.jobs.secrets import is_reference
from gonnet.jobs.values import CsvForm, Joint
from gonnet.packages.attachments import AttachmentPlan, require_zip_lock
from gonnet.packages.known import Known
from gonnet.packages.names import Names, safe_name
from gonnet.packages.own_files import NoFileError
from gonnet.packages.places import PlacePlan, path_of
from gonnet.packages.plans import DocumentPlan, PartPlan, Reading, SlicePlan
from gonnet.packages.protection import Lock, require
from gonnet.recipients import Addressed
from gonnet.rules import Decision, Evaluated
from gonnet.wording.formats import House

_Numbered = tuple[int, DocumentSpec]


class DocumentMaker:
    """Plans the documents of one package."""

    def __init__(
        self,
        reading: Reading,
        addressed: Addressed,
        evaluated: Evaluated,
        decision: Decision,
        names: Mapping[str, object],
        known: Known,
        taken: Names,
        files: Names,
    ) -> None:
        self._reading, self._job = reading, reading.job
        self._key, self._bundle = addressed.key, addressed.bundle
        self._keys = addressed.keys if addressed.bundle is not None else (addressed.key,)
        self._seen_by = addressed.seen_by
        self._evaluated, self._names = evaluated, names
        self._known = known
        self._taken, self._files = taken, files
        self._ways = [self._job.file.deliver[at] for at in decision.effects.ways]
        chosen = _chosen(self._job, decision)
        self._chosen = [
            (at, spec) for at, spec in chosen if not self._ways or spec.format == "file" or self._takers(spec)
        ]
        self._is_open = known.lets_files_open(decision.effects.ways, addressed.contacts)
        self._is_encrypted = known.encrypts(decision.effects.ways)
        self._encloses = bool(decision.effects.enclosures)

    def _takers(self, *specs: DocumentSpec, form: str = "") -> frozenset[str]:
        """The ways by which a document of these goes; what is not attached goes with no message."""
        return frozenset(
            way.called
            for spec in specs
            for way in self._ways
            if (spec.attach or way.writes is None) and way.takes(spec.called, form or spec.format)
        )

    def documents(self, slices: Sequence[SlicePlan]) -> Iterator[DocumentPlan]:
        """The documents of the package, in the job's order."""
        if self._bundle is None:
            yield from self._of(slices[0], self._evaluated, self._stem(slices[0]))
        elif self._bundle.form == "whole":
            whole = SlicePlan(self._key, self._names)
            yield from self._of(whole, self._evaluated, self._stem(whole, self._bundle))
        elif self._bundle.form == "joined":
            yield from self._in_one(slices, self._bundle)
        else:
            for part in slices:
                yield from self._of(part, self._known.evaluated[part.key], self._stem(part))

    def attachments(self, documents: Sequence[DocumentPlan]) -> AttachmentPlan:
        """How the files travel; a zip is called as the package.

        Raises:
            DataError: the zip is to have a password, and the recipient has none.
            JobError: a variable is not set, or what protects zips is not installed.
        """
        spec = self._job.file.package
        stem = documents[0].file_name.rpartition(".")[0] if len(documents) == 1 else ""
        bundle = self._bundle if self._bundle is not None and self._bundle.name is not None else None
        whole = SlicePlan(self._key, self._names)
        if not stem and (spec.zip is not None or (spec.limit is not None and spec.limit.over == "zip")):
            text = bundle.name if bundle is not None and bundle.name is not None else spec.name
            place = (*self._place_of(bundle), "bundle", "name") if bundle is not None else ("package", "name")
            stem = self._filled(text, place, whole)
        password = spec.zip.password if spec.zip is not None else None
        if self._is_open:
            password = None
        if password is not None:
            require_zip_lock(self._job.at("package", "zip", "password"))
            password = self._secret(password, ("package", "zip", "password"), whole)
        return AttachmentPlan(
            name=f"{stem}.zip",
            zipped=spec.zip is not None,
            password=password or "",
            limit=spec.limit,
            encrypted=self._is_encrypted,
        )

    def places(self, ways: Sequence[int], slices: Sequence[SlicePlan]) -> Iterator[PlacePlan]:
        """Where the files are put: those of one key where the line says by which its address sees that key."""
        whole = SlicePlan(self._key, self._names)
        apart = self._bundle is not None and self._bundle.form == "apart"
        for at in ways:
            way = self._job.file.deliver[at]
            if way.printing is not None:
                yield PlacePlan(way.called, *self._known.roots[at][0], {"": ""}, "", what="pages")
            elif way.puts is not None:
                (kind, name), root = self._known.roots[at]
                place = ("deliver", at, way.kind, "path")
                of_keys = {part.key: self._as_seen(part) for part in slices} if apart and way.folder is not None else {}
                parts = of_keys or {"": whole}
                if of_keys and self._encloses:
                    parts[""] = whole
                paths = {
                    key: path_of(way.puts.path, partial(self._folders, place=place, part=part))
                    for key, part in parts.items()
                }
                link = root.link or "" if way.folder is not None else ""
                what: Literal["files", "messages"] = "files" if way.folder is not None else "messages"
                yield PlacePlan(way.called, kind, name, paths, way.puts.existing, link, what)

    @staticmethod
    def links(documents: Sequence[DocumentPlan], places: Sequence[PlacePlan]) -> tuple[dict[str, str], ...]:
        """Name and address of each document that can be seen in a folder."""
        seen = next((place for place in places if place.link), None)
        if seen is None:
            return ()
        put = (part for part in documents if seen.way in part.ways)
        return tuple({"name": part.file_name, "url": seen.link_to(part.file_name, part.slice)} for part in put)

    def _as_seen(self, part: SlicePlan) -> SlicePlan:
        """A key with the line by which its address sees it: whose folder and password these are."""
        line = self._seen_by.get(part.key)
        return part if line is None else part._replace(names={**part.names, "recipient": line.fields})

    def _secret(self, text: str, place: tuple[str | int, ...], part: SlicePlan) -> str:
        """A password: named, or merged from the line of who gets the file.

        Raises:
            DataError: the recipient has none: nothing is ever sent open that was to be protected.
            JobError: a variable is not set.
        """
        where = self._job.at(*place)
        if is_reference(text):
            secret = self._known.secrets.resolve(text, where)
        else:
            secret = self._reading.wording.fill(self._job.text(text, *place), part.names, key=part.key).text
        if not secret.strip():
            raise DataError("there is no password for this recipient", where=where, fix="Give the list one")
        return self._long_enough(secret.strip(), where)

    def _long_enough(self, secret: str, where: str) -> str:
        """A password, as it is.

        Raises:
            DataError: it is shorter than the workspace allows; how long it is stays a secret.
        """
        least = self._known.shortest_password
        if len(secret) < least:
            what = f"the password is shorter than the {least} characters that gonnet.yaml wants"
            raise DataError(what, where=where, fix="Give the list a longer one")
        return secret

    def _stem(self, part: SlicePlan, bundle: Bundle | None = None) -> str:
        """What files are called, without ending."""
        if bundle is not None and bundle.name is not None:
            place = self._place_of(bundle)
            return self._taken.unique(self._filled(bundle.name, (*place, "bundle", "name"), part))
        return self._taken.unique(self._filled(self._job.file.package.name, ("package", "name"), part))

    def _place_of(self, bundle: Bundle) -> tuple[str | int, ...]:
        index = next(at for at, (_, spec) in enumerate(self._job.lists) if spec.bundled == bundle)
        return self._job.place_of_list(index)

    def _of(self, part: SlicePlan, evaluated: Evaluated, stem: str) -> Iterator[DocumentPlan]:
        """The documents of one slice, those that are joined as one."""
        groups = self._groups()
        alone = [(index, spec) for index, spec in self._chosen if spec.format not in groups or not self._can_join(spec)]
        per_format = Counter(spec.format for _, spec in alone if spec.file is None)
        for index, spec in self._chosen:
            if (group := groups.get(spec.format)) and self._can_join(spec):
                if group[0][0] == index:
                    yield self._joined(group, part, evaluated, stem)
                continue
            if spec.file is None:
                name = f"{stem} {spec.shows}" if per_format[spec.format] > 1 else stem
            elif spec.arrival in self._known.files:
                name = ""  # each of its files has one
            else:
                name = self._taken.unique(self._filled(spec.file, ("package", "documents", index, "file"), part))
            shown = PartPlan(spec.shows, evaluated.hidden(spec.shows), part.key)
            yield from self._documents(index, spec, shown, name, part)

    def _can_join(self, spec: DocumentSpec) -> bool:
        """Whether a document may become one file with others of its format: a workbook of one's own stays one."""
        if spec.report is None or spec.format != "xlsx":
            return spec.format == "pdf"
        return self._job.file.reports[spec.report].form is None

    def _groups(self) -> dict[str, list[_Numbered]]:
        """Format → the documents that become one file; a single one does where it gets a cover, or is of files."""
        join = self._job.file.package.join
        found = {}
        for form in join.formats if join else ():
            group = [(index, spec) for index, spec in self._chosen if spec.format == form and self._can_join(spec)]
            of_files = any(spec.arrival in self._known.files for _, spec in group)
            if len(group) > 1 or (group and join and (join.cover or of_files)):
                found[str(form)] = group
        return found

    def _joined(self, group: Sequence[_Numbered], part: SlicePlan, evaluated: Evaluated, stem: str) -> DocumentPlan:
        """Documents of one format as one file; where one of them has a password, all of it has."""
        form, join = group[0][1].format, self._job.file.package.join
        assert join is not None
        reports = [spec.shows for _, spec in group]
        if join.cover is not None:
            reports = [join.cover, *reports]
        return DocumentPlan(
            parts=tuple(PartPlan(name, evaluated.hidden(name), part.key) for name in reports),
            format=form,
            file_name=f"{stem}.{form}",
            lock=self._shared_lock(group, self._as_seen(part)),
            signer=_shared_signer(group),
            ways=self._takers(*(spec for _, spec in group)),
            joint=Joint(cover=join.cover is not None, contents=join.contents and form == "pdf"),
        )

    def _in_one(self, slices: Sequence[SlicePlan], bundle: Bundle) -> Iterator[DocumentPlan]:
        """All PDFs of a bundle as one and all its workbooks as one, key after key; other documents as they are."""
        whole = SlicePlan(self._key, self._names)
        stem = self._stem(whole, bundle)
        for form, can_join in dict.fromkeys((spec.format, self._can_join(spec)) for _, spec in self._chosen):
            group = [one for one in self._chosen if (one[1].format, self._can_join(one[1])) == (form, can_join)]
            if not can_join:
                for part in slices:
                    own = self._known.evaluated[part.key]
                    for index, spec in group:
                        one = PartPlan(spec.shows, own.hidden(spec.shows), part.key)
                        name = "" if spec.format == "file" else self._stem(part)
                        yield from self._documents(index, spec, one, name, part)
                continue
            parts = [
                PartPlan(spec.shows, self._known.evaluated[part.key].hidden(spec.shows), part.key)
                for part in slices
                for _, spec in group
            ]
            if bundle.cover is not None:
                parts = [PartPlan(bundle.cover, self._evaluated.hidden(bundle.cover), self._key), *parts]
            yield DocumentPlan(
                parts=tuple(parts),
                format=form,
                file_name=f"{stem}.{form}",
                lock=self._shared_lock(group, whole),
                signer=_shared_signer(group),
                ways=self._takers(*(spec for _, spec in group)),
                joint=Joint(cover=bundle.cover is not None, contents=bundle.contents and form == "pdf", by_key=True),
            )

    def _documents(
        self, index: int, spec: DocumentSpec, shown: PartPlan, name: str, of: SlicePlan
    ) -> Iterator[DocumentPlan]:
        """A document; of an arrival that is a folder, each file of the key as one.

        Raises:
            NoFileError: the key has none.
        """
        folder = self._known.files.get(spec.shows) if spec.arrival is not None else None
        if folder is None:
            yield self._document(index, spec, shown, name, of)
            return
        files = [file for key in self._keys_of(of) for file in folder.get(key, ())]
        if not files:
            raise NoFileError(f"'{spec.shows}' has no file for {of.key}", fix="Put it there, or drop it by a rule")
        called = self._filled(spec.file, ("package", "documents", index, "file"), of) if spec.file else ""
        for path in map(PurePath, files):
            plan = self._document(index, spec, shown._replace(file=path.as_posix()), "", of)
            name = self._files.unique_file(f"{called or path.stem}{path.suffix}")
            ways = plan.ways | self._takers(spec, form=path.suffix.removeprefix(".").casefold())
            yield replace(plan, file_name=name, ways=ways)

    def _keys_of(self, part: SlicePlan) -> Sequence[str]:
        """The keys of a slice: all those of the package where it is all of its rows."""
        return self._keys if part.key == self._key else (part.key,)

    def _document(self, index: int, spec: DocumentSpec, shown: PartPlan, name: str, of: SlicePlan) -> DocumentPlan:
        return DocumentPlan(
            parts=(shown,),
            format=spec.format,
            file_name=f"{name}.{spec.format}",
            csv=_csv_form(spec, self._reading.wording.house) if spec.format == "csv" else None,
            ways=self._takers(spec),
            lock=self._lock(index, spec, self._as_seen(of)),
            signer=_signer(spec),
        )

    def _filled(self, text: str, place: tuple[str | int, ...], part: SlicePlan) -> str:
        return safe_name(self._reading.wording.fill_name(self._job.text(text, *place), part.names, key=part.key).text)

    def _folders(self, text: str, place: tuple[str | int, ...], part: SlicePlan) -> list[str]:
        return self._reading.wording.fill_folders(self._job.text(text, *place), part.names, key=part.key)

    def _shared_lock(self, group: Sequence[_Numbered], part: SlicePlan) -> Lock | None:
        locks = [self._lock(index, spec, part) for index, spec in group]
        return next((lock for lock in locks if lock is not None), None)

    def _lock(self, index: int, spec: DocumentSpec, part: SlicePlan) -> Lock | None:
        """The passwords of a document: those of who gets it.

        Raises:
            DataError: the recipient has none: nothing is ever sent open that was to be protected.
            JobError: a variable is not set, or what protects documents is not installed.
        """
        if spec.password is None or self._is_open:
            return None
        job, known = self._job, self._known.secrets
        place = ("package", "documents", index, "password")
        require(spec.format, job.at(*place, "open"))
        secret = self._secret(spec.password.open, (*place, "open"), part)
        change = known.resolve(spec.password.change, job.at(*place, "change")) if spec.password.change else ""
        if change:
            self._long_enough(change, job.at(*place, "change"))
        return Lock(
            open=secret,
            change=change,
            may_print=spec.password.allow_print,
            may_copy=spec.password.allow_copy,
        )


def _chosen(job: Job, decision: Decision) -> Iterator[_Numbered]:
    """Number and specification of each document that the rules leave, in the format that they choose."""
    seen: set[tuple[str, str]] = set()
    for index in decision.effects.documents:
        part = job.file.package.documents[index]
        if decision.effects.format is not None and part.arrival is None:
            part = part.model_copy(update={"format": decision.effects.format})
        if (part.shows, part.format) not in seen:
            seen.add((part.shows, part.format))
            yield index, part


def _shared_signer(group: Sequence[_Numbered]) -> str:
    """Whose signature documents get that become one file: that of the first which has one."""
    return next((_signer(spec) for _, spec in group if _signer(spec)), "")


def _signer(spec: DocumentSpec) -> str:
    return spec.sign or "" if spec.format == "pdf" else ""  # it may be something else just this once


def _csv_form(part: DocumentSpec, house: House) -> CsvForm:
    """How the file is written: as the job says, else as the house's language has it."""
    decimal = part.decimal or ("," if part.delimiter != "," and house.decimal_sign == "," else ".")
    return CsvForm(
        delimiter=part.delimiter or (";" if decimal == "," else ","),
        decimal=decimal,
        quoting=part.quoting or "needed",
        encoding=part.encoding or "utf-8-sig",
        dates=part.dates or "iso",
    )
