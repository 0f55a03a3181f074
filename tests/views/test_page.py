"""The review page in a real browser; skipped where there is none."""

import json
import shutil
from pathlib import Path

import jsonschema
import pytest

from helpers import neat_delta, write_table
from neat_delta.analysis.before_after import BeforeAfter
from neat_delta.changeset.serialization import dump_changes
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.locations.prefetch import sha256_hex
from neat_delta.reading import read_pair
from neat_delta.tables.settings import Settings
from neat_delta.views.page import PageName, review_page_of

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
    path.write_bytes(
        review_page_of(BeforeAfter(changes, ours), Settings(), PageName(HOSTILE, sha256_hex(dump_changes(changes))))
    )
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
    tab.wait_for_selector("body[data-ready]")
    yield tab
    assert faults == []
    tab.close()


def codes(page):
    return page.locator("#list th button.code").all_inner_texts()


def test_hostile_texts_stay_texts(page):
    page.fill("#search", "K-00000")

    assert page.title() == "Changes for live.csv"
    assert HOSTILE in page.locator("tbody.item").first.inner_text()
    assert page.locator("#list img, .problems img").count() == 0


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
    assert set(heights) == {page.evaluate("line()")}


@pytest.mark.parametrize(
    ("settings", "said", "first"),
    [
        ({"#state": "new"}, "1 of 3,001 items", "NEW"),
        ({"#state": "to delete"}, "1 of 3,001 items", "K-02999"),
        ({"#problem": "3"}, "1 of 3,001 items", "K-00002"),
        ({"#field": "stock", "#order": "code"}, "301 of 3,001 items", "K-00009"),
        ({"#group": "Part 3", "#order": "name"}, "428 of 3,001 items", "K-00003"),
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
    assert page.locator("figure img").count() == 4
    assert page.locator("details:not([open])").count() == 0
    page.set_viewport_size({"width": 760, "height": 1000})
    page.emulate_media(media="print")
    wide = "document.getElementById('table').getBoundingClientRect().right <= document.documentElement.clientWidth"
    assert page.evaluate(wide)


SCHEMA = json.loads((Path(__file__).parents[2] / "docs/schemas/decisions.schema.json").read_text())
COUNTS = "['open', 'accepted', 'rejected'].map((id) => +document.getElementById(id).textContent.replace(/\\D/g, ''))"


def saved(page, tmp_path):
    """What "save decisions" saves."""
    with page.expect_download() as started:
        page.click("#save")
    path = tmp_path / "saved.json"
    started.value.save_as(path)
    file = json.loads(path.read_text(encoding="utf-8"))
    jsonschema.validate(file, SCHEMA)
    return path, {(one["item"][0], one["field"]): one for one in file["decisions"]}


def test_decisions_by_keys_and_buttons_are_saved_undone_and_opened_again(page, page_file, browser, tmp_path):
    units = page.evaluate(COUNTS)[0]
    page.select_option("#order", "code")
    page.fill("#search", "hive k-0001")
    page.locator("#list").focus()
    page.keyboard.press("a")
    page.keyboard.press("r")
    page.keyboard.press("c")
    page.keyboard.type("ask Anna <b>")
    page.click("#comment button[value=save]")
    page.keyboard.press("a")
    page.keyboard.press("u")
    accept = page.get_by_role("button", name="reject K-00015 price")
    accept.click()
    assert accept.evaluate("(button) => button === document.activeElement")
    assert accept.get_attribute("aria-pressed") == "true"
    page.keyboard.press("?")
    assert page.locator("#keys[open]").count() == 1
    page.keyboard.press("Escape")
    assert page.evaluate(COUNTS) == [units - 3, 1, 2]
    path, decided = saved(page, tmp_path)

    assert {key: (one["decision"], one.get("comment")) for key, one in decided.items()} == {
        ("K-00010", "price"): ("accept", None),
        ("K-00011", "price"): ("reject", None),
        ("K-00012", "price"): (None, "ask Anna <b>"),
        ("K-00015", "price"): ("reject", None),
    }
    again = browser.new_page()
    again.goto(page_file.as_uri())
    again.wait_for_selector("body[data-ready]")
    again.set_input_files("#file", path)
    again.get_by_text("decisions taken over").wait_for()
    assert saved(again, tmp_path)[1] == decided
    path.write_text(path.read_text().replace('"changes":"', '"changes":"0'))
    again.set_input_files("#file", path)
    again.get_by_text("belong to another change set").wait_for()
    path.write_text("no JSON")
    again.set_input_files("#file", path)
    again.get_by_text("not a file of decisions").wait_for()
    assert saved(again, tmp_path)[1] == decided
    again.close()


def test_a_field_a_category_a_check_and_what_is_shown_are_decided_at_once(page, tmp_path):
    units = page.evaluate(COUNTS)[0]
    page.get_by_role("button", name="accept all of stock").click()
    assert page.evaluate(COUNTS) == [units - 299, 299, 0]
    page.click("#undo")
    page.get_by_role("button", name="reject all of Part 3").click()
    rejected = page.evaluate(COUNTS)[2]
    page.select_option("#decided", "rejected")
    assert page.inner_text("#shown").startswith("428 of 3,001 items shown")
    page.click("#reset")
    page.select_option("#field", label="price")
    page.fill("#search", "hive 12")
    page.get_by_role("button", name="accept all shown").click()
    _, decided = saved(page, tmp_path)

    assert rejected > 428
    assert all(one["field"] == "price" for one in decided.values() if one["decision"] == "accept")
    assert {one["item"][0] for one in decided.values() if one["decision"] == "accept"} >= {"K-00012", "K-00120"}
    assert page.evaluate(COUNTS)[1] > 100


def test_the_address_keeps_filters_and_the_browser_what_was_decided(page, page_file):
    page.fill("#search", "hive 77")
    page.select_option("#group", label="Part 0")
    page.locator("#list").focus()
    page.keyboard.press("A")
    page.wait_for_timeout(500)
    address, shown, counts = page.url, page.inner_text("#shown"), page.evaluate(COUNTS)
    page.goto("about:blank")
    page.goto(address)
    page.wait_for_selector("body[data-ready]")

    assert page.inner_text("#shown") == shown
    assert not shown.startswith("3,001")
    assert page.evaluate(COUNTS) == counts
    assert counts[1] >= 1


def test_heads_sort_both_ways_and_numbers_as_numbers(page):
    page.get_by_role("button", name="sort by now").click()
    first = codes(page)[0]
    page.get_by_role("button", name="sort by now").click()

    assert first == "K-00000"
    assert codes(page)[0] == "K-02998"
    assert page.locator("th[aria-sort=descending]").inner_text().startswith("now")
    assert page.evaluate("document.activeElement.dataset.order") == "now"


def test_an_item_in_full_has_the_fields_that_stay_and_its_buttons_decide(page):
    page.fill("#search", "k-00030")
    page.locator("#list th button.code").first.click()
    page.get_by_text("Does not change").wait_for()
    page.click("#item-accept")

    assert page.locator("#item-rest tr", has_text="cost").inner_text().split() == ["cost", "0.50"]
    assert page.locator("#item-rows button[aria-pressed=true]").all_inner_texts() == ["✓ accept"]
    assert page.evaluate(COUNTS)[1] == 1


@pytest.mark.parametrize(
    ("size", "scheme", "keys"),
    [
        ((1280, 800), "light", "jar"),
        ((1280, 800), "dark", "jaxc"),
        ((390, 700), "dark", "j"),
        ((320, 200), "light", "j?"),
        ((640, 400), "light", ["Enter"]),
    ],
)
def test_nothing_is_found_by_the_rules_of_accessibility(browser, page_file, size, scheme, keys):
    """Also at 200 % and 400 % of zoom, which make the window 640 and 320 wide."""
    from axe_playwright_python.sync_playwright import Axe

    context = browser.new_context(viewport={"width": size[0], "height": size[1]}, color_scheme=scheme, bypass_csp=True)
    tab = context.new_page()
    tab.goto(page_file.as_uri())
    tab.wait_for_selector("body[data-ready]")
    tab.locator("#list").focus()
    for key in keys:
        tab.keyboard.press(key)

    found = Axe().run(tab).response["violations"]
    wide = tab.evaluate("document.documentElement.scrollWidth")
    context.close()

    assert [(one["id"], one["nodes"][0]["html"]) for one in found] == []
    assert wide <= size[0]


@pytest.fixture(scope="module")
def recoded_page(tmp_path_factory):
    """A page of two new SKUs, which another item links to, and of a price."""
    folder = tmp_path_factory.mktemp("recoded")
    live = [["sku", "name", "price", "related"], ["A-1", "lid", "1.00", "B-1"], ["B-1", "jar", "2.00", ""]]
    live += [["C-1", "wax", "3.00", "A-1"], *([f"D-{at}", f"item {at}", "4.00", ""] for at in range(5))]
    write_table(folder / "live.csv", live)
    write_table(folder / "codes.csv", [["old", "new"], ["A-1", "A-2"], ["B-1", "B-2"]])
    neat_delta("recode", "live.csv", "codes.csv", "-o", "c.changes.jsonl", cwd=folder)
    neat_delta("preview", "c.changes.jsonl", "--page", "review.html", cwd=folder)
    return folder / "review.html"


def test_new_skus_are_decided_together_and_what_follows_them_is_not_decided(browser, recoded_page, tmp_path):
    tab = browser.new_page()
    tab.goto(recoded_page.as_uri())
    tab.wait_for_selector("body[data-ready]")
    follows = tab.locator("#list td.acts", has_text="follows the new SKU").count()
    tab.get_by_role("button", name="accept A-1 → A-2", exact=True).click()
    counts = tab.evaluate(COUNTS)
    path, decided = saved(tab, tmp_path)
    tab.close()
    words = ("pick", "c.changes.jsonl", "--decisions", path, "-o", tmp_path / "p.changes.jsonl")
    picked = neat_delta(*words, cwd=recoded_page.parent)

    assert follows == 2
    assert counts == [0, 2, 0]
    assert set(decided) == {("A-1", None), ("B-1", None)}
    assert picked.returncode == 0, picked.stderr
    assert "2 with a new SKU" in " ".join(picked.stdout.split())


def test_an_image_is_loaded_from_where_the_settings_say_and_from_nowhere_else(browser, tmp_path):
    table = [["sku", "image", "price"], ["A 1", "a/b c.png|d.png", "1.00"], ["B-1", "", "2.00"]]
    write_table(tmp_path / "live.csv", table)
    write_table(tmp_path / "edited.csv", [table[0], [*table[1][:2], "1.50"], [*table[2][:2], "2.50"]])
    asked = []
    (tmp_path / "catalogue.toml").write_text('[page]\nimage = "http://media.shop.example/x/{image}"\n')
    neat_delta("compare", "live.csv", "edited.csv", "-o", "c.jsonl", "--base", "none", cwd=tmp_path)
    assert neat_delta("preview", "c.jsonl", "--page", "p.html", cwd=tmp_path).returncode == 0
    tab = browser.new_page()
    failed = {}
    tab.on("request", lambda request: asked.append(request.url) if request.url.startswith("http") else None)
    tab.on("requestfailed", lambda request: failed.update({request.url: request.failure}))
    tab.goto((tmp_path / "p.html").as_uri())
    tab.wait_for_selector("body[data-ready]")
    before = list(asked)
    tab.get_by_role("button", name="A 1", exact=True).click()
    tab.wait_for_selector("#item-rest tr")
    tab.evaluate("document.getElementById('item-image').src = 'http://elsewhere.example/x.png'")
    tab.wait_for_timeout(1000)
    tab.close()

    assert (before, asked[0]) == ([], "http://media.shop.example/x/a/b%20c.png")
    assert failed["http://elsewhere.example/x.png"] == "csp"
    assert "csp" not in failed.get(asked[0], "")


@pytest.mark.parametrize(
    "pattern", ["javascript:x", "//evil/{image}", "https://a.b/{x}'; script-src *", "{colour}.png"]
)
def test_a_pattern_that_is_no_address_of_images_is_refused(tmp_path, pattern):
    write_table(tmp_path / "live.csv", [["sku", "image", "price"], ["A", "a.png", "1.00"]])
    write_table(tmp_path / "edited.csv", [["sku", "price"], ["A", "2.00"]])
    neat_delta("compare", "live.csv", "edited.csv", "-o", "c.jsonl", "--base", "none", cwd=tmp_path)
    (tmp_path / "catalogue.toml").write_text(f'[page]\nimage = "{pattern}"\n')
    done = neat_delta("preview", "c.jsonl", "--page", "p.html", cwd=tmp_path)

    assert done.returncode in (2, 3)
    assert not (tmp_path / "p.html").exists()
