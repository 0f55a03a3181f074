"""Pictures of a change set for a meeting: moves of prices, margins, where changes are, stock value.

Each title says what is to be seen. Shape and hatching carry the meaning, so that print in black and white does too;
axes of amounts begin at zero, and two amounts that are compared share one scale.
"""

from __future__ import annotations

import io
from importlib.util import find_spec
from typing import TYPE_CHECKING, Any

import polars as pl

from neat_delta.analysis.grouping import field_of
from neat_delta.analysis.margins import margins_by, price_moves
from neat_delta.analysis.stock import by_room, stock_moves
from neat_delta.base.errors import InvalidOption
from neat_delta.base.extras import CHARTS, from_extra
from neat_delta.changeset.schemas import CHANGE, RECODE
from neat_delta.views.formatting import BLUE, VERMILLION, count, cut, pluralize

if TYPE_CHECKING:
    from collections.abc import Callable

    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from neat_delta.analysis.before_after import BeforeAfter
    from neat_delta.tables.settings import Settings

INK, DIM, WASH = "#1b1b1b", "#6b6b6b", "#e4e1da"
MOST_GROUPS, MOST_FIELDS = 12, 8
SIZE = (8.0, 4.6)
LABEL = 28
LOOKS: dict[Any, Any] = {
    "font.size": 10,
    "axes.spines.top": False,
    "axes.spines.right": False,
    "axes.edgecolor": DIM,
    "axes.titlelocation": "left",
    "axes.titlesize": 11,
    "axes.labelcolor": DIM,
    "xtick.color": DIM,
    "ytick.color": INK,
    "hatch.linewidth": 0.8,
    "svg.fonttype": "none",
}
# Where a price moved by more than this, the spread shows it at its edge, so that the others can be distinguished.
WIDEST_MOVE = 1.0
# So many places a decade of an axis can be distinguished.
DOTS = 60


def insist_on_charts() -> None:
    """See that charts can be drawn here.

    Raises:
        NotInstalled: what draws them is missing.
    """
    with from_extra(CHARTS, "charts", option="charts"):
        import matplotlib  # noqa: F401


def can_draw() -> bool:
    """Whether charts can be drawn here."""
    return find_spec("matplotlib") is not None


def plots(both: BeforeAfter, settings: Settings) -> dict[str, bytes]:
    """Every picture there is something to draw for, as PNG and SVG, by file name."""
    return {
        f"{name}.{form}": data for form in ("png", "svg") for name, (_, data) in _drawn(both, settings, form).items()
    }


def figures(both: BeforeAfter, settings: Settings, form: str) -> dict[str, bytes]:
    """The same pictures in one form, by what their titles say."""
    return dict(_drawn(both, settings, form).values())


def _drawn(both: BeforeAfter, settings: Settings, form: str) -> dict[str, tuple[str, bytes]]:
    insist_on_charts()
    import matplotlib as mpl
    from matplotlib.figure import Figure

    drawers: dict[str, Callable[[Figure, BeforeAfter, Settings], str | None]] = {
        "price-changes": _price_moves,
        "margins": _margins,
        "changes": _changes,
        "stock-value": _stock_value,
    }
    files = {}
    for name, draw in drawers.items():
        with mpl.rc_context(LOOKS | {"svg.hashsalt": name}):
            figure = Figure(figsize=SIZE, layout="constrained")
            try:
                title = draw(figure, both, settings)
            except InvalidOption:
                # The shop has no prices, costs or categories to draw.
                title = None
            if title is None:
                continue
            figure.suptitle(title, x=0.01, ha="left", fontsize=12, fontweight="bold", color=INK)
            stream = io.BytesIO()
            figure.savefig(stream, format=form, dpi=160, metadata={"Date": None} if form == "svg" else None)
            files[name] = (title, stream.getvalue())
    return files


def _price_moves(figure: Figure, both: BeforeAfter, settings: Settings) -> str | None:
    """Prices was against now, and how far they move."""
    moves = price_moves(both, settings).filter(
        (pl.col("price") > 0) & (pl.col("price_was") > 0) & (pl.col("price") != pl.col("price_was"))
    )
    if moves.is_empty():
        return None
    was, now = (moves[side].cast(pl.Float64).to_numpy() for side in ("price_was", "price"))
    share = now / was - 1
    up = share > 0
    left, right = figure.subplots(1, 2, width_ratios=[1.15, 1])
    low, high = min(was.min(), now.min()) * 0.9, max(was.max(), now.max()) * 1.1
    left.plot([low, high], [low, high], color=DIM, linewidth=0.8, linestyle="--", zorder=1)
    for marker, mask, colour, message in (("^", up, BLUE, "up"), ("v", ~up, VERMILLION, "down")):
        if mask.any():
            faces = colour if marker == "^" else "none"
            label = f"{message} ({count(int(mask.sum()))})"
            x, y = _apart(was[mask], now[mask])
            left.scatter(x, y, marker=marker, s=26, facecolors=faces, edgecolors=colour, label=label)
    left.set(xscale="log", yscale="log", xlabel="price was", ylabel="price now", xlim=(low, high), ylim=(low, high))
    left.set_title("one point per item; dashed line = no change", fontsize=9, color=DIM)
    for axis in (left.xaxis, left.yaxis):
        axis.set_major_formatter(lambda value, _: f"{value:g}")
        axis.set_minor_formatter("")
    left.legend(frameon=False, loc="upper left")
    _spread(right, share, up)
    middle = float(moves.select(pl.col("move").cast(pl.Float64).median()).item())
    risen, fallen = int(up.sum()), int((~up).sum())
    message = f"{pluralize(risen, 'price')} up, {count(fallen)} down"
    return f"{message}; median change {middle * 100:+.1f} %"


def _apart(x: Any, y: Any) -> tuple[list[float], list[float]]:
    """Points on logarithmic axes, one of those that nobody could tell apart: thousands of them draw slowly."""
    some = pl.DataFrame({"x": x, "y": y})
    some = some.unique(pl.col("x", "y").log10().mul(DOTS).round(), keep="first", maintain_order=True)
    return some["x"].to_list(), some["y"].to_list()


def _spread(axes: Axes, share: Any, up: Any) -> None:
    """How many prices move by how many per cent."""
    from matplotlib.ticker import MaxNLocator

    shown = share.clip(-WIDEST_MOVE, WIDEST_MOVE) * 100
    edge = max(1.0, float(abs(shown).max()))
    width = 2 * edge / 24
    bins = [-edge + at * width for at in range(25)]
    axes.hist(shown[up], bins=bins, color=BLUE, edgecolor="white")
    if (~up).any():
        axes.hist(shown[~up], bins=bins, facecolor="white", edgecolor=VERMILLION, hatch="////")
    axes.axvline(0, color=DIM, linewidth=0.8, linestyle="--")
    axes.set(xlabel="change of price, %", ylabel="items")
    axes.yaxis.set_major_locator(MaxNLocator(integer=True))
    beyond = int((abs(share) > WIDEST_MOVE).sum())
    title = "distribution of changes" + (f"; {count(beyond)} beyond ±100 % at the edge" if beyond else "")
    axes.set_title(title, fontsize=9, color=DIM)


def _margins(figure: Figure, both: BeforeAfter, settings: Settings) -> str | None:
    """The margin before and after by category."""
    summed = margins_by(both, settings, field_of(both.live, "category", settings)).drop_nulls()
    if summed.is_empty():
        return None
    some = summed.head(MOST_GROUPS).reverse()
    was, now = ((some[side].cast(pl.Float64) * 100).to_list() for side in ("share_was", "share"))
    places = list(range(len(some)))
    axes = figure.subplots()
    axes.hlines(places, was, now, color=DIM, linewidth=1.4, zorder=1)
    axes.scatter(was, places, s=60, facecolors="white", edgecolors=DIM, linewidths=1.6, label="was", zorder=2)
    axes.scatter(now, places, s=60, color=BLUE, marker="D", label="now", zorder=3)
    labels = [f"{cut(group, LABEL)}  ({count(items)})" for group, items in some.select("group", "items").iter_rows()]
    axes.set_yticks(places, labels)
    axes.set(xlim=(min(0, *was, *now), max(*was, *now) * 1.08), ylim=(-0.6, len(some) - 0.4))
    axes.set_xlabel("margin in % of net price (items whose price or cost changes)")
    axes.legend(frameon=False, loc="upper left", ncols=2, bbox_to_anchor=(0, 1.1))
    axes.grid(axis="x", color=WASH)
    axes.set_axisbelow(True)
    rises = int((summed["share"] > summed["share_was"]).sum())
    falls = int((summed["share"] < summed["share_was"]).sum())
    categories = pluralize(len(summed), "category", "categories")
    if falls == 0 or rises == 0:
        way, number = ("rises", rises) if rises else ("falls", falls)
        return f"The margin {way} in {count(number)} of {categories}, and {'falls' if rises else 'rises'} in none"
    return f"The margin rises in {count(rises)} and falls in {count(falls)} of {categories}"


def _changes(figure: Figure, both: BeforeAfter, settings: Settings) -> str | None:
    """How many cells change by field and category."""
    cells = both.changes.cells_with_action(CHANGE, RECODE).select("key", "field")
    if cells.is_empty():
        return None
    groups = both.texts(field_of(both.live, "category", settings)).select("key", group=pl.col("now").fill_null("–"))
    counted = cells.join(groups, on="key").group_by("group", "field").len()
    rows, columns = (
        counted.group_by(name).agg(pl.col("len").sum()).sort("len", name, descending=[True, False])[name].head(most)
        for name, most in (("group", MOST_GROUPS), ("field", MOST_FIELDS))
    )
    number = {(group, field): size for group, field, size in counted.iter_rows()}
    grid = [[number.get((group, field), 0) for field in columns] for group in rows]
    axes = figure.subplots()
    axes.imshow(grid, cmap="Greys", vmin=0, vmax=max(map(max, grid)) * 2.2, aspect="auto")
    for y, line in enumerate(grid):
        for x, size in enumerate(line):
            axes.text(x, y, count(size) if size else "·", ha="center", va="center", color=INK)
    axes.set_xticks(range(len(columns)), [cut(name, LABEL // 2) for name in columns])
    axes.set_yticks(range(len(rows)), [cut(group, LABEL) for group in rows])
    axes.tick_params(length=0, top=True, labeltop=True, bottom=False, labelbottom=False)
    axes.spines[:].set_visible(False)
    field, group = columns[0], max(rows, key=lambda name: number.get((name, columns[0]), 0))
    of_field = int((cells["field"] == field).sum())
    left = counted["group"].n_unique() - len(rows), counted["field"].n_unique() - len(columns)
    if any(left):
        more = (
            pluralize(left[0], "more category", "more categories")
            + f" and {pluralize(left[1], 'more field')} not shown"
        )
        axes.set_xlabel(more)
    most = f"{count(of_field)} of {pluralize(len(cells), 'cell')}"
    return f"Most changes: {field} ({most}), above all in {cut(group, LABEL)} ({count(number.get((group, field), 0))})"


def _stock_value(figure: Figure, both: BeforeAfter, settings: Settings) -> str | None:
    """The value of stock that comes and goes, by stock room."""
    rooms = by_room(stock_moves(both, settings))
    sums = rooms.select(pl.col("value_up", "value_down").cast(pl.Float64).sum()).row(0)
    if not any(sums):
        return None
    names = rooms["room"].to_list()
    up, down = (rooms[side].cast(pl.Float64).fill_null(0).to_list() for side in ("value_up", "value_down"))
    places = list(range(len(names)))
    axes = figure.subplots()
    axes.barh(places, up, height=0.5, color=BLUE, label="▲ comes in")
    axes.barh(
        places,
        [-value for value in down],
        height=0.5,
        facecolor="white",
        edgecolor=VERMILLION,
        hatch="////",
        label="▼ goes out",
    )
    axes.axvline(0, color=INK, linewidth=0.8)
    for place, (comes, goes) in enumerate(zip(up, down, strict=True)):
        axes.annotate(f"{comes:,.2f}", (comes, place), xytext=(5, 0), textcoords="offset points", va="center")
        axes.annotate(
            f"{goes:,.2f}", (-goes, place), xytext=(-5, 0), textcoords="offset points", va="center", ha="right"
        )
    widest = max(*up, *down) * 1.3
    axes.set(xlim=(-widest, widest), ylim=(-0.8, len(names) - 0.2))
    axes.set_yticks(places, names)
    axes.xaxis.set_major_formatter(lambda value, _: f"{abs(value):,.0f}")
    _, cost = settings.roles.price_and_cost(both.live)
    axes.set_xlabel(f"value of the units, at {'cost' if cost else 'price'}")
    axes.legend(frameon=False, loc="upper left", ncols=2)
    return f"Stock value: +{sums[0]:,.2f}, −{sums[1]:,.2f}"
