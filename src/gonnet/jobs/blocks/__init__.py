"""The blocks that a report is made of."""

from gonnet.jobs.blocks.bands import BandsBlock, BandsSpec, CrosstabBlock, CrosstabSpec, Head
from gonnet.jobs.blocks.charts import Against, ChartBlock, ChartSpec, Series, StandingBlock, StandingSpec
from gonnet.jobs.blocks.plain import Fact, FactsBlock, HeadingBlock, ImageBlock, NewPageBlock, SpaceBlock, TextBlock
from gonnet.jobs.blocks.tables import Column, Emphasis, Formatted, Group, TableBlock, TableSpec

Block = (
    HeadingBlock
    | TextBlock
    | FactsBlock
    | ImageBlock
    | SpaceBlock
    | NewPageBlock
    | TableBlock
    | BandsBlock
    | CrosstabBlock
    | ChartBlock
    | StandingBlock
)

__all__ = [
    "Against",
    "BandsBlock",
    "BandsSpec",
    "Block",
    "ChartBlock",
    "ChartSpec",
    "Column",
    "CrosstabBlock",
    "CrosstabSpec",
    "Emphasis",
    "Fact",
    "FactsBlock",
    "Formatted",
    "Group",
    "Head",
    "HeadingBlock",
    "ImageBlock",
    "NewPageBlock",
    "Series",
    "SpaceBlock",
    "StandingBlock",
    "StandingSpec",
    "TableBlock",
    "TableSpec",
    "TextBlock",
]
