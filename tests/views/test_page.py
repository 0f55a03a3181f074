"""The review page in a real browser; skipped where there is none."""

import shutil

import pytest

from helpers import write_table
from neat_delta.analysis.before_after import BeforeAfter
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.reading import read_pair
from neat_delta.tables.settings import Settings
from neat_delta.views.page import review_page_of

HOSTILE = "</script><script>document.title='owned'</script><img src=x onerror=\"document.title='owned'\">"
NAMES = ["sku", "name", "category", "price", "cost", "stock"]
MANY = 3_000


@pytest.fixture(scope="module")
def page_file(tmp_path_factory):
    """A page of three thousand changed items, some of them hostile, with a new one, a gone one, and one held back."""
    live = [
        NAMES,
        *([f"K-{at:05}", f"Hive {at}", f"Part {at % 7}", f"{at + 1}.00", "0.50", str(at)] for at in range(MANY)),
    ]
    edited = [list(row) for row in live]
    for at, row in enumerate(edited[1:], start=1):
        row[3] = f"{at}.10"
        row[5] = str(at) if at % 10 == 0 else row[5]
    edited[1][1], edited[2][2] = HOSTILE, HOSTILE
    edited[3][3] = "on request"
    edited = [*edited[:-1], ["NEW", "A new hive", "Part 1", "9.00", "4.00", "2"]]
    folder = tmp_path_factory.mktemp("page")
    a, b = write_table(folder / "live.csv", live), write_table(folder / "edited.csv", edited)
    ours, sheet = read_pair(a, b)
    changes = compare(ours, sheet, CompareOptions(add_new=True, delete_at_most=5)).changes
    path = folder / "review.html"
    path.write_bytes(review_page_of(BeforeAfter(changes, ours), Settings(), HOSTILE))
    return path


@pytest.fixture(scope="module")
def browser():
    program = shutil.which("chromium")
    if program is None:
        pytest.skip("no browser (chromium) is installed here")
    from playwright.sync_api import sync_playwright

    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path=program, args=["--no-sandbox"])
        yield chromium
        chromium.close()


@pytest.fixture
def page(browser, page_file):
    tab = browser.new_page(viewport={"width": 1280, "height": 800})
    faults = []
    tab.on("pageerror", lambda error: faults.append(str(error)))
    # Nothing may be asked of any network.
    tab.on("request", lambda request: faults.append(request.url) if not request.url.startswith("file:") else None)
    tab.goto(page_file.as_uri())
    yield tab
    assert faults == []
    tab.close()


def codes(page):
    return page.locator("#list th button").all_inner_texts()


def test_hostile_texts_stay_texts(page):
    page.fill("#search", "K-00000")

    assert page.title() == "Changes for live.csv"
    assert HOSTILE in page.locator("tbody.item").first.inner_text()
    assert page.locator("img").count() == 0


def test_no_script_runs_but_the_pages_own(page):
    """Were a text of the data ever taken for markup, its script would not run."""
    page.evaluate(
        """() => {
            const made = document.createElement("script");
            made.textContent = "document.title = 'owned'";
            document.body.append(made);
            const button = "<button id='evil' onclick=\\"document.title='owned'\\">x</button>";
            document.body.insertAdjacentHTML("beforeend", button);
            document.getElementById("evil").click();
        }"""
    )

    assert page.title() == "Changes for live.csv"


def test_only_what_is_on_the_screen_is_drawn_and_scrolling_comes_to_the_end(page):
    drawn = page.locator("tbody.item").count()
    page.select_option("#order", "code")
    page.evaluate("document.getElementById('list').scrollTop = 1e9")
    page.wait_for_timeout(100)

    assert drawn < 80
    assert page.locator("tbody.item").count() < 80
    assert codes(page)[-1] == "NEW"
    heights = page.evaluate(
        "[...document.querySelectorAll('tbody.item tr')].map((row) => row.getBoundingClientRect().height)"
    )
    assert set(heights) == {28}


@pytest.mark.parametrize(
    ("settings", "said", "first"),
    [
        ({"#state": "new"}, "1 of 3,001 items", "NEW"),
        ({"#state": "to delete"}, "1 of 3,001 items", "K-02999"),
        ({"#level": "3"}, "1 of 3,001 items", "K-00002"),
        ({"#field": "stock", "#order": "code"}, "301 of 3,001 items", "K-00009"),
        ({"#group": "Part 3", "#order": "name"}, "428 of 3,001 items", "K-00010"),
    ],
)
def test_filters_find_what_they_say(page, settings, said, first):
    for name, choice in settings.items():
        label = {"label": choice} if name in ("#field", "#group") else {"value": choice}
        page.select_option(name, **label)

    assert page.inner_text("#shown").startswith(said)
    assert codes(page)[0] == first
    page.click("#reset")
    page.get_by_text("3,001 of 3,001 items shown").wait_for()


def test_by_keyboard_alone_an_item_is_found_and_opened(page):
    page.keyboard.press("/")
    page.keyboard.type("hive k-01234")
    page.locator("#list").focus()
    page.keyboard.press("Tab")
    page.keyboard.press("Enter")

    assert page.locator("dialog[open] h2").inner_text().startswith("K-01234")
    page.keyboard.press("Escape")
    assert page.locator("dialog[open]").count() == 0


def test_the_money_view_has_margins(page):
    page.select_option("#view", "money")
    page.fill("#search", "K-00008")

    assert page.locator("tbody.item").inner_text().split() == [
        "K-00008", "Hive", "8", "9.00", "9.10", "0.50", "0.50", "8.50", "8.60", "94.4", "94.5", "9.00", "9.00",
    ]  # fmt: skip


def test_it_prints_all_items_that_are_shown(page):
    page.fill("#search", "hive 12")
    page.evaluate("dispatchEvent(new Event('beforeprint'))")

    assert len(codes(page)) == int(page.inner_text("#shown").split()[0])
    assert page.locator("figure svg").count() == 4
    assert page.locator("details:not([open])").count() == 0
    page.set_viewport_size({"width": 760, "height": 1000})
    page.emulate_media(media="print")
    wide = "document.getElementById('table').getBoundingClientRect().right <= document.documentElement.clientWidth"
    assert page.evaluate(wide)
