"""Which column is what, in the languages of shops."""

import pytest

from helpers import write_table
from neat_delta.reading import read_table
from neat_delta.tables import field_name
from neat_delta.tables.roles import role_of
from neat_delta.tables.settings import RoleSettings


@pytest.mark.parametrize(
    ("role", "headers"),
    [
        (
            "key",
            "SKU|Artikelnummer|Référence article|Código artículo|Codice articolo|Kod produktu|Varenr.|Ürün Kodu|品番",
        ),
        ("price", "Preis|Bruttoverkaufspreis|Prix de vente TTC|PVP|Prezzo|Prijs|Cena|Preço|Pris|Hinta|Satış fiyatı"),
        ("cost", "Einkaufspreis|EK netto|Prix d'achat|Coste|Inkoopprijs|Cena zakupu|Inköpspris|Ostohinta|原価"),
        ("sale_price", "Aktionspreis|Prix promo|Precio oferta|Prezzo scontato|Cena promocyjna|Kampanjpris|特価"),
        ("stock", "Lagerbestand Wien|Quantité|Existencias|Giacenza|Voorraad|Ilość|Lagersaldo|Sklad|Stok|在庫数"),
        ("brand", "Marke|Hersteller|Marque|Marca|Merk|Producent|Varumärke|Tuotemerkki|Výrobce|ブランド"),
        ("name", "Bezeichnung|Désignation|Nombre|Nome|Naam|Nazwa|Benämning|Tuotenimi|Název|Ürün adı|商品名"),
        ("category", "Warengruppe|Catégorie|Categoría|Productgroep|Kategoria|Varegruppe|カテゴリー"),
        ("active", "aktiv|Actif|Activo|Attivo|Actief|Ativo|Aktif|公開"),
    ],
)
def test_headers_say_the_role_in_any_of_the_languages(role, headers):
    said = {header: (role_of(field_name(header)) or ("none",))[0] for header in headers.split("|")}

    assert said == dict.fromkeys(headers.split("|"), role)


def table(folder, head, *rows):
    return read_table(write_table(folder / "live.csv", [head, *rows], delimiter=";"))


def test_values_decide_where_the_header_says_more_than_the_word(tmp_path):
    head = ["sku", "price_list", "Preis EUR", "supplier_code"]
    live = table(tmp_path, head, ["A", "summer", "12,50 €", "X1"], ["B", "all", "9,00 €", "X2"])

    found = RoleSettings().found(live)

    assert (found["price"], found["brand"], found["cost"]) == (["preis_eur"], [], [])


def test_what_is_configured_goes_before_what_is_found(tmp_path):
    live = table(tmp_path, ["sku", "price", "shelf"], ["A", "1.00", "2.00"])

    assert RoleSettings(price="shelf").found(live)["price"] == ["shelf"]
