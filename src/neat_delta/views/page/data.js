"use strict";
// What the page holds, unpacked: items with their changes, and the units on which a person decides.
const at = (id) => document.getElementById(id);
const WHOLE = -1;
const ERROR = 3, WARNING = 2;

// The data lie in the page as gzip (RFC 1952) in base64, so that fifty thousand items stay a small file.
async function unpacked(id) {
  const packed = Uint8Array.from(atob(at(id).textContent), (sign) => sign.charCodeAt(0));
  const stream = new Blob([packed]).stream().pipeThrough(new DecompressionStream("gzip"));
  return JSON.parse(await new Response(stream).text());
}

const plain = (told) => (told === null || told === undefined ? "" : typeof told === "string" ? told : told.flat().join(""));
const shownKey = (key) => key.replaceAll("\u001f", " · ");

let data, items, money, units;
const byKey = new Map();

// A unit is what can be accepted or rejected: a changed cell, or a whole item that is new, to delete or gets a new SKU.
function arrange(given) {
  data = given;
  units = [];
  items = data.items.map(([key, newKey, name, state, group, move, level, cells, about, whole], place) => {
    const item = { key, code: shownKey(key) + (newKey ? " → " + shownKey(newKey) : ""), name: name || "", state, group, move, level, cells, about, place, whole: WHOLE, recoded: Boolean(newKey) };
    if (whole) item.whole = units.push({ item, field: WHOLE }) - 1;
    item.units = cells.map(([field, , , , , , follows]) => (follows || (whole && !newKey) ? item.whole : units.push({ item, field }) - 1));
    byKey.set(key, item);
    return item;
  });
  for (const [place, unit] of units.entries()) unit.place = place;
  money = data.money.map(([key, ...cells], place) => ({ item: byKey.get(key), cells, place })).filter((row) => row.item);
}

// All words of an item in one text, made when it is first searched.
function textOf(item) {
  if (item.text === undefined) {
    const cells = item.cells.flatMap((cell) => [plain(cell[1]), plain(cell[2])]);
    item.text = [item.code, item.name, ...cells, ...item.about.map((said) => said[3])].join("\n").toLowerCase();
  }
  return item.text;
}

// The units that a problem is about: its cell, or all of its item.
function unitsOf(item, field = null) {
  // (A cell that follows the new SKU of another item is no unit of its own.)
  const every = [item.whole, ...item.units].filter((unit) => unit >= 0);
  return [...new Set(field === null ? every : every.filter((unit) => units[unit].field === field || units[unit].field === WHOLE))];
}

// A number as the shop writes it; NaN for what is none.
function numberOf(text, mark) {
  const digits = plain(text).replace(/[^\d,.\-]/g, "");
  return digits === "" ? NaN : Number(mark === "," ? digits.replaceAll(".", "").replace(",", ".") : digits.replaceAll(",", ""));
}
