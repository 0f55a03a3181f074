"""What a frame has: its columns as members, with type, what they mean and what they may be; checked where it is made.

A member is the column's name, so that it stands wherever a name stands: ``pl.col(Cells.KEY)``. A frame that was checked
has a type of its own for the type checker (``CellFrame``), which a frame of anything else is not.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar, Generic, TypeVar, cast

import polars as pl

if TYPE_CHECKING:
    from collections.abc import Mapping

    from polars.datatypes import DataTypeClass


F = TypeVar("F", bound="pl.DataFrame")


class BrokenFrame(AssertionError):
    """A frame is not what it is said to be, or frames contradict each other: a fault of the program."""


class Column(str):
    """A column: its name, and what is known of it.

    Attributes:
        dtype: the type of its values.
        text: what it means.
        null: whether a value may be missing.
        words: all that its values can be; none: anything.
    """

    __slots__ = ("dtype", "null", "text", "words")

    dtype: DataTypeClass
    text: str
    null: bool
    words: tuple[str, ...]


def column(name: str, dtype: DataTypeClass, text: str, *, null: bool = False, words: tuple[str, ...] = ()) -> Column:
    """A column of a schema."""
    made = Column(name)
    made.dtype, made.text, made.null, made.words = dtype, text, null, words
    return made


class FrameSchema(Generic[F]):
    """A frame's columns, in their order; ``unique`` are those that no two rows share.

    ``F`` is the type that a frame has once it was checked.
    """

    columns: ClassVar[tuple[Column, ...]] = ()
    unique: ClassVar[tuple[Column, ...]] = ()
    # Only tests look at every value; a program of ours that is right need not be asked again and again.
    looks_at_values: ClassVar[bool] = False

    def __init_subclass__(cls, **given: Any) -> None:
        """Gather the columns."""
        super().__init_subclass__(**given)
        cls.columns = tuple(member for member in vars(cls).values() if isinstance(member, Column))

    @classmethod
    def dtypes(cls) -> dict[str, DataTypeClass]:
        """The type of each column by its name."""
        return {str(one): one.dtype for one in cls.columns}

    @classmethod
    def none(cls) -> F:
        """A frame of this kind without a row."""
        return cast("F", pl.DataFrame(schema=cls.dtypes()))

    @classmethod
    def checked(cls, frame: pl.DataFrame) -> F:
        """The frame itself, which has just these columns; of the type of such frames.

        Raises:
            BrokenFrame: it has others, in another order, or of other types; in tests also: a value is none that the
                column can have, or two rows are alike.
        """
        if dict(frame.schema) != cls.dtypes() or frame.columns != list(cls.columns):
            raise BrokenFrame(f"{cls.__name__}: {dict(frame.schema)} is not {cls.dtypes()}")
        if FrameSchema.looks_at_values:
            cls._insist_on_values(frame)
        return cast("F", frame)

    @classmethod
    def _insist_on_values(cls, frame: pl.DataFrame) -> None:
        for one in cls.columns:
            if not one.null and frame[one].has_nulls():
                raise BrokenFrame(f"{cls.__name__}: {one} has a null")
            if one.words and not frame[one].drop_nulls().is_in(list(one.words)).all():
                raise BrokenFrame(f"{cls.__name__}: {one} is none of {', '.join(one.words)}")
        if cls.unique and frame.select(cls.unique).is_duplicated().any():
            raise BrokenFrame(f"{cls.__name__}: two rows have the same {', '.join(cls.unique)}")


def json_type(one: Column) -> Mapping[str, object]:
    """The JSON Schema of a column's values."""
    kind = "integer" if one.dtype.is_integer() else "string"
    described: dict[str, object] = {"type": [kind, "null"] if one.null else kind, "description": one.text}
    return described | ({"enum": [*one.words, *([None] if one.null else [])]} if one.words else {})
