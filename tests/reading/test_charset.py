import pytest

from helpers import neat_delta
from neat_delta.base.errors import InvalidInput
from neat_delta.files.content import ContentInMemory
from neat_delta.reading import read_pair
from neat_delta.reading.charset import decode

POLISH = [
    "Ul wielkopolski",
    "Węza pszczela",
    "Kapelusz z siatką",
    "Słoik na miód",
    "Drążek do ramek",
    "Łapka świąteczna",
]
GERMAN = ["Zarge", "Rähmchen", "Räuchergefäß", "Königinnenkäfig", "Mittelwände", "größere Gläser"]
FRENCH = ["Cadre élevé", "Voile brodé à 5 €", "Pot à miel", "Où est-ce", "Étiquettes déjà collées"]
CZECH = ["Úl", "Rámek pro včely", "Kuřák žlutý", "příslušenství", "Sklenice na med"]
RUSSIAN = ["Улей для пчёл", "Рамка", "Дымарь", "Маска", "Перчатки"]
GREEK = ["Κυψέλη για μέλισσες", "Πλαίσιο", "Καπνιστήρι"]


TURKISH = ["Arı kovanı ahşap", "Körük küçük", "Çıta ızgarası", "Şişe kapağı", "Işık çubuğu"]


def table(names):
    return "sku;name\n" + "".join(f"A{at};{name}\n" for at, name in enumerate(names * 4))


def text_of(found):
    return found.text.read(0, len(found.text)).decode()


@pytest.mark.parametrize(
    ("names", "written", "seen"),
    [
        (GERMAN, "cp1252", "cp1252"),
        (GERMAN, "iso8859_1", "cp1252"),
        (FRENCH, "cp1252", "cp1252"),
        (FRENCH, "iso8859_15", "iso8859-15"),
        (POLISH, "cp1250", "cp1250"),
        (POLISH, "iso8859_2", "iso8859-2"),
        (CZECH, "iso8859_2", "iso8859-2"),
        (RUSSIAN, "cp1251", "cp1251"),
        (RUSSIAN, "iso8859_5", "iso8859-5"),
        (RUSSIAN, "koi8_r", "koi8-r"),
        (GREEK, "cp1253", "cp1253"),
    ],
)
def test_sets_of_one_byte_a_character_are_told_by_the_words_they_make(names, written, seen):
    found = decode(ContentInMemory(table(names).encode(written)))

    assert (found.encoding, found.guessed) == (seen, True)
    assert text_of(found) == table(names)


@pytest.mark.parametrize("names", [GERMAN, RUSSIAN])
@pytest.mark.parametrize("charset", ["utf-16-le", "utf-16-be", "utf-8"])
def test_unicode_is_known_without_a_mark(names, charset):
    found = decode(ContentInMemory(table(names).encode(charset)))

    assert (found.encoding, found.guessed, text_of(found)) == (charset, False, table(names))


def test_what_is_told_is_taken(names=CZECH):
    found = decode(ContentInMemory(table(names).encode("cp1250")), "cp1250")

    assert (found.encoding, found.guessed, text_of(found)) == ("cp1250", False, table(names))


@pytest.mark.parametrize("turned", [False, True])
@pytest.mark.parametrize(
    ("names", "written"),
    [
        (CZECH, "cp1250"),
        (CZECH, "mac_latin2"),
        (TURKISH, "cp1254"),
        (TURKISH, "iso8859_9"),
        (GERMAN, "cp1252"),
        (GERMAN, "cp850"),
        (FRENCH, "mac_roman"),
        (GREEK, "cp1253"),
        (POLISH, "cp852"),
    ],
)
def test_of_two_files_about_the_same_items_one_tells_the_other_ones_character_set(tmp_path, names, written, turned):
    paths = tmp_path / "a.csv", tmp_path / "b.csv"
    for path, charset in zip(paths, (written, "utf-8") if turned else ("utf-8", written), strict=True):
        path.write_bytes(table(names).encode(charset, "ignore"))

    one, other = read_pair(*paths)

    wanted = [table(names).encode(written, "ignore").decode(written).split("\n")[1:-1]] * 2
    wanted[int(turned)] = table(names).split("\n")[1:-1]
    assert [[";".join(row) for row in read.cells(["sku", "name"]).iter_rows()] for read in (one, other)] == wanted
    assert one.format.encoding_certain and other.format.encoding_certain


def test_a_file_with_few_words_beyond_ascii_leaves_the_guess_a_guess(tmp_path):
    (tmp_path / "a.csv").write_bytes(table(RUSSIAN).encode())
    (tmp_path / "b.csv").write_bytes(table(["Rähmchen", "Zarge", "Hut"]).encode("cp1252"))

    _, other = read_pair(tmp_path / "a.csv", tmp_path / "b.csv")

    assert (other.format.encoding, other.format.encoding_certain) == ("cp1252", False)


JAPANESE = ["ミツロウ 巣箱 標準", "燻煙器 ステンレス", "養蜂用 手袋 牛革", "蜂蜜 瓶 500g", "巣枠 十枚組"]
CHINESE = ["蜂箱 十框标准", "不锈钢喷烟器", "养蜂手套 羊皮", "蜂蜜玻璃瓶 500克", "巢框 十个装"]
TAIWANESE = ["蜂箱 十框標準", "不鏽鋼噴煙器", "養蜂手套 羊皮", "蜂蜜玻璃瓶 500克", "巢框 十個裝"]
KOREAN = ["벌통 표준형", "훈연기 스테인리스", "양봉 장갑 소가죽", "꿀 유리병", "소비 열 장"]
THAI = ["กล่องเลี้ยงผึ้ง", "เครื่องพ่นควัน", "ถุงมือหนังวัว", "ขวดแก้วน้ำผึ้ง", "กรอบรังผึ้ง"]
HEBREW = ["כוורת עץ אורן", "מפוחית נירוסטה", "כפפות עור", "צנצנת דבש", "מסגרת לכוורת"]
ARABIC = ["خلية نحل خشبية", "مدخن ستانلس", "قفازات جلد", "برطمان عسل", "إطار خلية"]
MANY = [
    (JAPANESE, "cp932"), (JAPANESE, "euc_jp"), (JAPANESE, "iso2022_jp"), (CHINESE, "gb18030"), (TAIWANESE, "big5"),
    (KOREAN, "euc_kr"), (THAI, "cp874"), (HEBREW, "cp1255"), (ARABIC, "cp1256"),
]  # fmt: skip


@pytest.mark.parametrize(("names", "charset"), [one for one in MANY if one[1] != "cp1255"])  # too few letters to tell
def test_other_scripts_are_told_by_themselves(names, charset):
    assert text_of(decode(ContentInMemory(table(names).encode(charset)))) == table(names)


@pytest.mark.parametrize(
    ("names", "charset"), [*MANY, (FRENCH[:3], "mac_roman"), (RUSSIAN, "mac_cyrillic"), (GREEK, "mac_greek")]
)
def test_a_sheet_in_any_known_set_changes_nothing_but_what_was_edited(tmp_path, names, charset):
    edited = table(names).replace("A3;", "A3;new ")
    (tmp_path / "live.csv").write_text(table(names), "utf-8")
    (tmp_path / "edited.csv").write_bytes(edited.encode(charset))

    _, theirs = read_pair(tmp_path / "live.csv", tmp_path / "edited.csv")

    assert theirs.cells(["name"])["name"].to_list() == [row.split(";")[1] for row in edited.splitlines()[1:]]


def test_where_no_set_gives_words_that_are_known_nothing_is_guessed(tmp_path):
    (tmp_path / "live.csv").write_text(table(FRENCH), "utf-8")
    (tmp_path / "edited.csv").write_bytes(table(CZECH).encode("cp1250"))

    with pytest.raises(InvalidInput, match="unknown encoding: in none are its words those of") as refused:
        read_pair(tmp_path / "live.csv", tmp_path / "edited.csv")

    assert "Kuřák" in str(refused.value) or "Rámek" in str(refused.value)


def test_what_was_decided_of_the_live_export_is_kept_with_the_change_set(tmp_path):
    """Alone the export seems to be in another character set than beside the sheet, whose words tell."""
    names = ["Arı", "Şişe", "Ğ"]
    (tmp_path / "live.csv").write_bytes(table(names).encode("cp1254"))
    (tmp_path / "edited.csv").write_text(table(names).replace("A2;", "A2;yeni "), "utf-8")

    neat_delta("compare", "live.csv", "edited.csv", "--out", "c.jsonl", cwd=tmp_path)
    done = neat_delta("write", "c.jsonl", "-o", "up", cwd=tmp_path)

    assert done.returncode == 0, done.stderr
    assert "yeni " in (tmp_path / "up/01-changes.csv").read_bytes().decode("cp1254")
