// The list: only what is on the screen is drawn, and every text goes in as text, never as markup.
const SPARE = 12;
const ARROWS = { u: "▲", d: "▼" }, WAYS = { u: "up", d: "down" };
const narrow = matchMedia("(max-width: 599px)");
// The height of a line follows the size of letters that a person has chosen.
const line = () => Math.round(parseFloat(getComputedStyle(document.documentElement).fontSize) * 1.9);
const several = (number, one) => `${number.toLocaleString("en")} ${one}${number === 1 ? "" : "s"}`;
const say = (text) => { at("said").textContent = text; };

const VIEWS = {
  changes: { heads: [["item", 12, "", "code"], ["name", 19, "", "name"], ["field", 11, "", "field"], ["was", 14, "", "was"], ["now", 14, "", "now"], ["difference", 8, "number", "amount"], ["%", 7, "number", "move"], ["decision", 15, ""]] },
  money: { heads: [["item", 11, "", "code"], ["name", 23, "", "name"], ["price was", 8, "number"], ["now", 8, "number"], ["cost was", 8, "number"], ["now", 8, "number"], ["margin was", 9, "number"], ["now", 8, "number"], ["% was", 6, "number"], ["% now", 6, "number"], ["keeps amount", 10, "number"], ["keeps %", 8, "number"]] },
};
const LARGEST_FIRST = new Set(["amount", "move"]);
// What is shown: an item each, with the places of those of its cells that the filters want.
let view = "changes", shown = [], tops = [0], lineHeight = line();
// The row that the keys are about: the place of its item among those shown, and its line.
let current = { place: 0, line: 0 };

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

// The lines of an item: one for what it becomes as a whole, one for each of its cells; one at least.
function linesOf(entry) {
  if (view === "money") return [null];
  const whole = entry.item.whole >= 0 && entry.withWhole;
  return whole || !entry.cells.length ? [null, ...entry.cells] : entry.cells;
}
function unitAt(entry, cell) {
  if (view === "money") return undefined;
  const unit = cell === null ? entry.item.whole : entry.item.units[cell];
  return unit >= 0 ? unit : undefined;
}

// The unit whose buttons a line has: the cells of a new item have none, for it is decided as a whole.
function ownUnitAt(entry, cell) {
  const unit = unitAt(entry, cell);
  return cell !== null && unit === entry.item.whole ? undefined : unit;
}

function heightOf(entry) {
  const number = view === "money" ? 1 : linesOf(entry).length;
  return narrow.matches ? lineHeight * (1 + number * (view === "money" ? 6 : 4)) : lineHeight * number;
}

function arrangeList() {
  lineHeight = line();
  document.documentElement.style.setProperty("--line-height", `${lineHeight}px`);
  tops = new Array(shown.length + 1);
  tops[0] = 0;
  for (let place = 0; place < shown.length; place++) tops[place + 1] = tops[place] + heightOf(shown[place]);
  heads();
  draw(true);
}

function heads() {
  const { heads } = VIEWS[view];
  at("columns").replaceChildren(...heads.map(([, width]) => { const column = made("col"); column.style.width = `${width}%`; return column; }));
  const row = made("tr");
  const sorted = order.replace("-", "");
  const way = order.startsWith("-") === LARGEST_FIRST.has(sorted) ? "ascending" : "descending";
  for (const [name, , style, by] of heads) {
    const head = made("th", by ? null : name, style);
    head.scope = "col";
    if (by) {
      const button = made("button", name + (by === sorted ? (way === "ascending" ? " ↑" : " ↓") : ""));
      button.type = "button";
      button.dataset.order = by;
      button.setAttribute("aria-label", `sort by ${name}`);
      head.append(button);
      if (by === sorted) head.setAttribute("aria-sort", way);
    }
    row.append(head);
  }
  const kept = document.activeElement?.dataset?.order;
  at("heads").replaceChildren(row);
  if (kept) at("heads").querySelector(`[data-order="${kept}"]`)?.focus();
  for (const id of ["above", "below"]) at(id).colSpan = heads.length;
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

const drawn = new Map();
function draw(anew, all) {
  const list = at("list");
  const from = all ? 0 : Math.max(0, placeAt(list.scrollTop) - SPARE);
  const to = all ? shown.length : Math.min(shown.length, placeAt(list.scrollTop + list.clientHeight) + SPARE);
  const focused = focusIn(list);
  for (const [place, node] of drawn) if (anew || place < from || place >= to) { node.remove(); drawn.delete(place); }
  let next = at("rows").nextElementSibling;
  for (let place = from; place < to; place++) {
    const there = drawn.get(place);
    if (there) { next = there.nextElementSibling; continue; }
    const node = body(shown[place], place);
    drawn.set(place, node);
    next.before(node);
  }
  at("above").style.height = `${tops[from]}px`;
  at("below").style.height = `${all ? 0 : tops[shown.length] - tops[to]}px`;
  markCurrent();
  if (focused) refocus(focused);
}

// What in the list has the focus, by what it is about, so that it has it again after a new drawing.
function focusIn(list) {
  const node = document.activeElement;
  if (!node || !list.contains(node) || node === list) return null;
  return { place: +node.closest("tbody")?.dataset.place, line: +node.closest("tr")?.dataset.line, act: node.dataset.act };
}
function refocus({ place, line, act }) {
  if (at("list").contains(document.activeElement)) return;
  const node = drawn.get(place)?.querySelector(`tr[data-line="${line}"] [data-act="${act}"]`);
  (node || at("list")).focus({ preventScroll: true });
}

function body(entry, place) {
  const { item } = entry;
  const group = made("tbody", null, "item");
  group.dataset.place = place;
  const lines = linesOf(entry);
  lines.forEach((cell, number) => {
    const row = made("tr");
    row.dataset.line = number;
    if (number === 0) {
      const head = made("th");
      head.scope = "rowgroup";
      const open = made("button", item.code, "code");
      open.type = "button";
      open.dataset.act = "item";
      open.title = item.level >= WARNING ? item.about.map((said) => said[3]).join("\n") : item.code;
      if (item.level >= WARNING) head.append(made("span", item.level === ERROR ? "!! " : "! ", "down"));
      head.append(open);
      const name = made("td", item.name, "name");
      name.title = item.name;
      head.rowSpan = name.rowSpan = lines.length;
      row.append(head, name);
    }
    if (view === "money") row.append(...moneyCells(entry.cells));
    else row.append(...(cell === null ? wholeCells(item) : changeCells(item.cells[cell])), decisionCell(ownUnitAt(entry, cell), item.cells[cell]?.[6]));
    group.append(row);
  });
  return group;
}

function moneyCells(cells) {
  return cells.map((told, place) => {
    const cell = made("td", told, "number" + (place < 8 ? (place % 2 ? " now" : " was") : ""));
    cell.dataset.label = VIEWS.money.heads[place + 2][0];
    return cell;
  });
}

function wholeCells(item) {
  const said = made("td", item.state + (item.about.length ? ": " + item.about[0][3] : ""), "note whole");
  said.colSpan = 5;
  said.title = said.textContent;
  return [said];
}

function changeCells([field, was, now, way, amount, share]) {
  const style = way ? " number" : "";
  const before = made("td", null, "was" + style), after = made("td", null, "now" + style);
  before.append(value(was, "del"));
  after.append(value(now, "ins"));
  before.title = plain(was);
  after.title = plain(now);
  const moved = made("td", way ? `${ARROWS[way]} ${amount}` : "", "number amount " + (WAYS[way] || ""));
  return [made("td", data.fields[field][0], "field"), before, after, moved, made("td", share.replace(" %", ""), "number share " + (WAYS[way] || ""))];
}

function decisionCell(unit, follows) {
  const cell = made("td", null, "acts");
  if (follows) cell.append(made("span", "follows the new SKU", "note"));
  if (unit === undefined || follows) return cell;
  cell.dataset.unit = unit;
  for (const act of ["accept", "reject", "comment"]) {
    const button = made("button", act === "comment" ? "note" : act);
    button.type = "button";
    button.dataset.act = act;
    cell.append(button);
  }
  refreshDecision(cell);
  return cell;
}

function refreshDecision(cell) {
  const unit = +cell.dataset.unit, mark = marks[unit], said = comments.get(unit);
  const what = units[unit].field === WHOLE ? units[unit].item.code : `${units[unit].item.code} ${data.fields[units[unit].field][0]}`;
  const [accept, reject, note] = cell.children;
  for (const [button, own] of [[accept, ACCEPT], [reject, REJECT]]) {
    button.textContent = (mark === own ? (own === ACCEPT ? "✓ " : "✗ ") : "") + MARKS[own];
    button.setAttribute("aria-pressed", mark === own);
    button.setAttribute("aria-label", `${MARKS[own]} ${what}`);
  }
  note.textContent = said ? "✎ note" : "note";
  note.title = said || "write a comment";
  note.setAttribute("aria-label", `comment on ${what}${said ? ": " + said : ""}`);
  cell.closest("tr")?.setAttribute("data-mark", MARKED[mark]);
}

function refreshRows() {
  for (const node of drawn.values()) for (const cell of node.querySelectorAll("[data-unit]")) refreshDecision(cell);
}

// The current row: marked, and the only one whose buttons are stops of the tabulator.
function markCurrent() {
  current.place = Math.max(0, Math.min(current.place, shown.length - 1));
  for (const [place, node] of drawn)
    for (const row of node.rows) {
      const own = place === current.place && +row.dataset.line === current.line;
      row.classList.toggle("current", own);
      if (own) row.setAttribute("aria-current", "true");
      else row.removeAttribute("aria-current");
      for (const button of row.querySelectorAll("button")) button.tabIndex = own || (place === current.place && button.dataset.act === "item") ? 0 : -1;
    }
  for (const cell of document.querySelectorAll("tr:not([data-mark]) [data-unit]")) refreshDecision(cell);
}

function moveTo(place, number) {
  if (!shown.length) return;
  current = { place: Math.max(0, Math.min(place, shown.length - 1)), line: number };
  const list = at("list"), entry = shown[current.place];
  const share = (tops[current.place + 1] - tops[current.place]) / linesOf(entry).length;
  const top = tops[current.place] + current.line * share, head = narrow.matches ? 0 : lineHeight;
  if (top < list.scrollTop) list.scrollTop = top;
  else if (top + share + head > list.scrollTop + list.clientHeight) list.scrollTop = top + share + head - list.clientHeight;
  if (document.activeElement !== list && !at("list").contains(document.activeElement)) list.focus({ preventScroll: true });
  draw(false);
  if (at("list").contains(document.activeElement)) list.focus({ preventScroll: true });
  at("where").textContent = describe();
}

function step(by) {
  const lines = shown.length ? linesOf(shown[current.place]).length : 0;
  const next = current.line + by;
  if (next >= 0 && next < lines) return moveTo(current.place, next);
  const place = current.place + by;
  if (place < 0 || place >= shown.length) return say(by > 0 ? "this is the last row" : "this is the first row");
  moveTo(place, by > 0 ? 0 : linesOf(shown[place]).length - 1);
}

function currentUnits(wholeItem) {
  const entry = shown[current.place];
  if (!entry) return [];
  if (wholeItem || view === "money") return unitsOf(entry.item);
  const unit = unitAt(entry, linesOf(entry)[current.line]);
  return unit === undefined ? [] : [unit];
}

function describe() {
  const entry = shown[current.place], [unit] = currentUnits(false);
  if (!entry) return "";
  if (unit === undefined) return `${entry.item.code} ${entry.item.state}`;
  const cell = entry.item.cells[linesOf(entry)[current.line]];
  const what = cell ? `${data.fields[cell[0]][0]} ${plain(cell[1]) || "empty"} → ${plain(cell[2]) || "empty"}` : entry.item.state;
  return `${entry.item.code}, ${what}, ${MARKED[marks[unit]]}`;
}
