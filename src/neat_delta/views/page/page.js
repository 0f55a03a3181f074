"use strict";
// Only what is on the screen is drawn; every text goes in as text, never as markup.
const data = JSON.parse(document.getElementById("data").textContent);
const at = (id) => document.getElementById(id);
const LINE = 28, SPARE = 12, MOST_PRINTED = 3000;
const ARROWS = { u: "▲", d: "▼" }, WAYS = { u: "up", d: "down" };

function made(tag, text, style) {
  const node = document.createElement(tag);
  if (text !== undefined && text !== null) node.textContent = text;
  if (style) node.className = style;
  return node;
}

// A value: nothing, a plain text, or pieces of which the changed ones stand in lists.
function value(told, changed) {
  const node = document.createDocumentFragment();
  if (told === null || told === undefined || told === "") node.append("–");
  else if (typeof told === "string") node.append(told);
  else for (const piece of told) node.append(typeof piece === "string" ? made("span", piece, "same") : made(changed, piece[0]));
  return node;
}
const plain = (told) => (told === null ? "" : typeof told === "string" ? told : told.flat().join(""));

const items = data.items.map(([code, name, state, group, move, level, cells, said], place) => ({ code, name: name || "", state, group, move, level, cells, said, place }));
for (const item of items) item.text = [item.code, item.name, ...item.cells.flatMap((cell) => [plain(cell[1]), plain(cell[2])])].join("\n").toLowerCase();
const money = data.money.map((cells, place) => ({ code: cells[0], name: cells[1], cells, place, text: (cells[0] + "\n" + cells[1]).toLowerCase() }));
const byCode = new Map(items.map((item) => [item.code, item]));

const VIEWS = {
  changes: { heads: [["item", 13], ["name", 24], ["field", 12], ["was", 17], ["now", 17], ["difference", 9, "number"], ["%", 8, "number"]], lines: (item) => Math.max(1, item.cells.length) },
  money: { heads: [["item", 11], ["name", 23], ["price was", 8, "number"], ["now", 8, "number"], ["cost was", 8, "number"], ["now", 8, "number"], ["margin was", 9, "number"], ["now", 8, "number"], ["% was", 6, "number"], ["% now", 6, "number"], ["keeps amount", 10, "number"], ["keeps %", 8, "number"]], lines: () => 1 },
};
let view = "changes", shown = [], tops = [0];

for (const [place, name] of data.fields.entries()) if (items.some((item) => item.cells.some((cell) => cell[0] === place))) at("field").append(new Option(name, place));
if (at("group")) for (const [place, name] of data.groups.entries()) at("group").append(new Option(name, place));

const chosen = (id) => (at(id) ? at(id).value : "");

function choose() {
  const words = at("search").value.trim().toLowerCase().split(/\s+/).filter(Boolean);
  const [field, group, state, level] = ["field", "group", "state", "level"].map(chosen);
  const fits = (item) =>
    words.every((word) => item.text.includes(word)) &&
    (field === "" || item.cells.some((cell) => cell[0] === +field)) &&
    (group === "" || item.group === +group) &&
    (state === "" || item.state === state) &&
    (level === "" || (level === "0" ? item.level < 2 : item.level === +level));
  const orders = {
    code: (a, b) => (a.code < b.code ? -1 : 1),
    name: (a, b) => a.name.localeCompare(b.name),
    group: (a, b) => a.group - b.group || a.place - b.place,
    move: (a, b) => a.place - b.place,
  };
  view = chosen("view") || "changes";
  const found = items.filter(fits);
  if (view === "money") {
    const kept = new Set(found.map((item) => item.code));
    shown = money.filter((row) => kept.has(row.code));
    for (const row of shown) row.group = byCode.get(row.code)?.group ?? -1;
  } else shown = found;
  shown.sort(orders[chosen("order") || "move"]);
  tops = [0];
  for (const item of shown) tops.push(tops[tops.length - 1] + VIEWS[view].lines(item) * LINE);
  const cells = found.reduce((sum, item) => sum + item.cells.length, 0);
  const all = view === "money" ? money.length : items.length;
  at("shown").textContent = `${shown.length.toLocaleString("en")} of ${all.toLocaleString("en")} items shown` + (view === "money" ? "; % is the margin's part of the net price, keeps: the price that would keep the margin at the new cost" : `, ${cells.toLocaleString("en")} cells`);
  heads();
  at("list").scrollTop = 0;
  draw(true);
}

function heads() {
  const { heads } = VIEWS[view];
  at("columns").replaceChildren(...heads.map(([, width]) => Object.assign(document.createElement("col"), { style: `width:${width}%` })));
  const row = document.createElement("tr");
  for (const [name, , style] of heads) row.append(Object.assign(made("th", name, style), { scope: "col" }));
  at("heads").replaceChildren(row);
  for (const id of ["above", "below"]) at(id).colSpan = heads.length;
  at("table").setAttribute("aria-rowcount", tops[tops.length - 1] / LINE + 1);
}

// The first place whose top is not above this height.
function placeAt(height) {
  let low = 0, high = shown.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (tops[middle + 1] <= height) low = middle + 1;
    else high = middle;
  }
  return low;
}

let drawn = [-1, -1];
function draw(anew, all) {
  const list = at("list");
  const from = all ? 0 : Math.max(0, placeAt(list.scrollTop) - SPARE);
  const to = all ? Math.min(shown.length, MOST_PRINTED) : Math.min(shown.length, placeAt(list.scrollTop + list.clientHeight) + SPARE);
  if (!anew && from === drawn[0] && to === drawn[1]) return;
  drawn = [from, to];
  for (const old of [...at("table").querySelectorAll("tbody.item")]) old.remove();
  const bodies = document.createDocumentFragment();
  for (let place = from; place < to; place++) bodies.append(body(shown[place], tops[place] / LINE + 2));
  at("rows").replaceChildren();
  at("rows").after(bodies);
  at("above").style.height = tops[from] + "px";
  at("below").style.height = (all ? 0 : tops[shown.length] - tops[to]) + "px";
}

function body(item, number) {
  const group = made("tbody", null, "item");
  const lines = view === "money" ? [item.cells] : item.cells.length ? item.cells : [null];
  lines.forEach((cell, line) => {
    const row = document.createElement("tr");
    row.setAttribute("aria-rowindex", number + line);
    if (line === 0) {
      const head = made("th");
      head.scope = "rowgroup";
      const open = made("button", item.code);
      open.type = "button";
      open.addEventListener("click", () => tell(byCode.get(item.code) || item));
      head.append(open);
      const name = made("td", item.name);
      name.title = item.name;
      head.rowSpan = name.rowSpan = lines.length;
      row.append(head, name);
    }
    if (view === "money") for (const [place, told] of cell.slice(2).entries()) row.append(made("td", told, "number" + (place % 2 && place < 8 ? " now" : place < 8 ? " was" : "")));
    else row.append(...change(item, cell));
    group.append(row);
  });
  return group;
}

function change(item, cell) {
  if (cell === null) {
    const said = made("td", item.state + (item.said.length ? ": " + item.said[0][2] : ""), "note");
    said.colSpan = 5;
    said.title = said.textContent;
    return [said];
  }
  const [field, was, now, way, amount, share] = cell;
  const style = way ? " number" : "";
  const before = made("td", null, "was" + style), after = made("td", null, "now" + style);
  before.append(value(was, "del"));
  after.append(value(now, "ins"));
  before.title = plain(was);
  after.title = plain(now);
  const moved = made("td", way ? `${ARROWS[way]} ${amount}` : "", "number " + (WAYS[way] || ""));
  return [made("td", data.fields[field]), before, after, moved, made("td", share.replace(" %", ""), "number " + (WAYS[way] || ""))];
}

function tell(item) {
  at("item-title").textContent = `${item.code}  ${item.name}`;
  at("item-note").textContent = item.state + (item.group >= 0 ? ` · ${data.groups[item.group]}` : "");
  at("item-rows").replaceChildren(...(item.cells || []).map((cell) => {
    const row = document.createElement("tr");
    row.append(...change(item, cell));
    return row;
  }));
  at("item-findings").replaceChildren(...(item.said || []).map(([level, field, say]) => made("li", `${level}: ${field ? field + ": " : ""}${say}`)));
  at("item").showModal();
}

at("list").addEventListener("scroll", () => requestAnimationFrame(() => draw(false)), { passive: true });
addEventListener("resize", () => draw(true));
at("filters").addEventListener("input", choose);
at("filters").addEventListener("reset", () => setTimeout(choose));
// Paper has no arrows to open things with, and no screen to draw just a part of.
let opened = [];
addEventListener("beforeprint", () => {
  opened = [...document.querySelectorAll("details:not([open])")];
  for (const part of opened) part.open = true;
  draw(true, true);
});
addEventListener("afterprint", () => {
  for (const part of opened) part.open = false;
  draw(true);
});
addEventListener("keydown", (event) => {
  if (event.key === "/" && !/^(INPUT|SELECT|TEXTAREA)$/.test(document.activeElement.tagName)) {
    event.preventDefault();
    at("search").focus();
  }
});
choose();
