import pytest

from neat_delta.reading import read_both
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
    found = decode(table(names).encode(written))

    assert (found.charset, found.guessed) == (seen, True)
    assert found.utf8.decode() == table(names)


@pytest.mark.parametrize("names", [GERMAN, RUSSIAN])
@pytest.mark.parametrize("charset", ["utf-16-le", "utf-16-be", "utf-8"])
def test_unicode_is_known_without_a_mark(names, charset):
    found = decode(table(names).encode(charset))

    assert (found.charset, found.guessed, found.utf8.decode()) == (charset, False, table(names))


def test_what_is_told_is_taken(names=CZECH):
    found = decode(table(names).encode("cp1250"), "cp1250")

    assert (found.charset, found.guessed, found.utf8.decode()) == ("cp1250", False, table(names))


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

    one, other = read_both(*paths)

    wanted = [table(names).encode(written, "ignore").decode(written).split("\n")[1:-1]] * 2
    wanted[int(turned)] = table(names).split("\n")[1:-1]
    assert [[";".join(row) for row in read.cells(["sku", "name"]).iter_rows()] for read in (one, other)] == wanted
    assert one.form.charset_sure and other.form.charset_sure


def test_a_file_about_other_things_leaves_the_guess_a_guess(tmp_path):
    (tmp_path / "a.csv").write_bytes(table(RUSSIAN).encode())
    (tmp_path / "b.csv").write_bytes(table(GERMAN).encode("cp1252"))

    _, other = read_both(tmp_path / "a.csv", tmp_path / "b.csv")

    assert (other.form.charset, other.form.charset_sure) == ("cp1252", False)
