// Filters, orders and keys; the state of the filters is in the page's address, so that it can be sent to a colleague.
const FILTERS = ["search", "field", "group", "state", "problem", "decided", "order", "view"];
const collator = new Intl.Collator(undefined, { numeric: true });
let order = "problems";
const orders = new Map();
const chosen = (id) => (at(id) ? at(id).value : "");

// The value by which an item stands in an order; what has none comes last, whichever way.
const SORTS = {
  problems: (item) => -item.level * 1e9 + item.place,
  move: (item) => -item.move,
  code: (item) => item.code,
  name: (item) => item.name || null,
  group: (item) => (item.group < 0 ? null : item.group),
  field: (item) => (item.cells.length ? item.cells[0][0] : null),
  was: (item) => sideOf(item, 1),
  now: (item) => sideOf(item, 2),
  amount: (item) => (item.cells.length && item.cells[0][4] ? -numberOf(item.cells[0][4], data.fields[item.cells[0][0]][1]) : null),
};

function sideOf(item, side) {
  if (!item.cells.length || item.state !== "changed") return null;
  const [, mark] = data.fields[item.cells[0][0]], text = plain(item.cells[0][side]);
  const number = mark ? numberOf(text, mark) : NaN;
  return text === "" ? null : Number.isNaN(number) ? text : number;
}

// The places of all items in an order, worked out when it is first wanted.
function ordered(by) {
  if (!orders.has(by)) {
    const name = by.replace("-", ""), way = by.startsWith("-") ? -1 : 1;
    const values = items.map(SORTS[name] || SORTS.problems);
    const compare = (a, b) => {
      const [one, two] = [values[a], values[b]];
      if (one === null || two === null) return (one === null) - (two === null) || a - b;
      const way_ = typeof one === "number" && typeof two === "number" ? one - two : collator.compare(one, two);
      return way * way_ || a - b;
    };
    orders.set(by, items.map((_, place) => place).sort(compare));
  }
  return orders.get(by);
}

function choose() {
  const words = chosen("search").trim().toLowerCase().split(/\s+/).filter(Boolean);
  const [field, group, state, problem, decision] = ["field", "group", "state", "problem", "decided"].map(chosen);
  const check = problem.startsWith("check ") ? data.checks.indexOf(problem.slice(6)) : -1;
  const mark = MARKED.indexOf(decision);
  order = chosen("order") || "problems";
  const wantedItem = (item) =>
    (group === "" || item.group === +group) &&
    (state === "" || item.state === state) &&
    (problem === "" || (check >= 0 ? item.about.some((said) => said[1] === check) : problem === "none" ? item.level < WARNING : item.about.some((said) => said[0] === +problem))) &&
    words.every((word) => textOf(item).includes(word));
  const wantedUnit = (unit) => mark < 0 || (unit >= 0 && marks[unit] === mark);
  const narrowed = field !== "" || mark >= 0;
  const every = (item) => ({ item, withWhole: true, cells: item.cells.map((_, place) => place) });
  const some = (item) => {
    const cells = item.cells.flatMap(([own], place) => ((field === "" || own === +field) && wantedUnit(item.units[place]) ? [place] : []));
    return { item, cells, withWhole: field === "" && item.whole >= 0 && wantedUnit(item.whole) };
  };
  view = chosen("view") || "changes";
  const found = [];
  for (const place of ordered(order)) {
    const item = items[place];
    if (!wantedItem(item)) continue;
    const entry = narrowed ? some(item) : every(item);
    if (!narrowed || entry.cells.length || entry.withWhole) found.push(entry);
  }
  if (view === "money") {
    const rows = new Map(money.map((row) => [row.item.place, row.cells]));
    shown = found.flatMap((entry) => (rows.has(entry.item.place) ? [{ ...entry, cells: rows.get(entry.item.place) }] : []));
  } else shown = found;
  const cells = view === "money" ? 0 : found.reduce((sum, entry) => sum + entry.cells.length, 0);
  const all = view === "money" ? money.length : items.length;
  at("shown").textContent = `${shown.length.toLocaleString("en")} of ${all.toLocaleString("en")} items shown` + (view === "money" ? "; % is the margin's part of the net price, keeps: the price that would keep the margin at the new cost" : `, ${several(cells, "cell")}`);
  const number = shownUnits().length;
  for (const id of ["accept-shown", "reject-shown", "clear-shown"]) at(id).disabled = !number;
  current = { place: 0, line: 0 };
  at("list").scrollTop = 0;
  arrangeList();
  keepState();
}

// The units of what the filters show, where a field or a mark is wanted only those.
function shownUnits() {
  const found = new Set();
  for (const { item, cells, withWhole } of shown) {
    if (view === "money") { for (const unit of unitsOf(item)) found.add(unit); continue; }
    if (withWhole && item.whole >= 0) found.add(item.whole);
    for (const cell of cells) if (item.units[cell] >= 0 && (units[item.units[cell]].field >= 0 || withWhole)) found.add(item.units[cell]);
  }
  return [...found];
}

function keepState() {
  const state = new URLSearchParams();
  for (const id of FILTERS) if (chosen(id) && at(id).value !== at(id).dataset.usual) state.set(id, readable(id));
  try {
    history.replaceState(null, "", state.size ? `#${state}` : location.pathname + location.search);
  } catch { /* an address that cannot be changed keeps no state */ }
}
// Fields and categories stand in the address by their names, which a page made tomorrow has too.
const readable = (id) => (at(id).tagName === "SELECT" ? at(id).selectedOptions[0].dataset.name || at(id).value : at(id).value);

function takeState() {
  const state = new URLSearchParams(location.hash.slice(1));
  for (const id of FILTERS) {
    const wanted = state.get(id);
    if (wanted === null || !at(id)) continue;
    if (at(id).tagName === "SELECT") {
      const option = [...at(id).options].find((one) => (one.dataset.name || one.value) === wanted);
      if (option) option.selected = true;
    } else at(id).value = wanted;
  }
}

function fillFilters() {
  const used = new Set(items.flatMap((item) => item.cells.map((cell) => cell[0])));
  const add = (id, name, place) => { const option = new Option(name, place); option.dataset.name = name; at(id).append(option); };
  for (const [place, [name]] of data.fields.entries()) if (used.has(place)) add("field", name, place);
  if (at("group")) for (const [place, name] of data.groups.entries()) add("group", name, place);
}

// What a button outside the list is about: a field, a category, a check, or what is shown.
function unitsFor({ field, group, check }) {
  if (field !== undefined) return units.filter((unit) => unit.field === +field).map((unit) => unit.place);
  if (group !== undefined) return units.filter((unit) => unit.item.group === +group).map((unit) => unit.place);
  const place = data.checks.indexOf(check), found = new Set();
  for (const item of items) for (const [, own, about] of item.about) if (own === place) for (const unit of unitsOf(item, about < 0 ? null : about)) found.add(unit);
  return [...found];
}

const MARK_OF = { accept: ACCEPT, reject: REJECT, clear: OPEN };

function commentOn(unit) {
  if (unit === undefined) return say("there is nothing to comment on here");
  const about = units[unit];
  at("comment-title").textContent = `Comment on ${about.item.code}${about.field === WHOLE ? "" : " " + data.fields[about.field][0]}`;
  at("comment-text").value = comments.get(unit) || "";
  at("comment").dataset.unit = unit;
  at("comment").showModal();
}

const KEYS = {
  j: () => step(1), ArrowDown: () => step(1), k: () => step(-1), ArrowUp: () => step(-1),
  J: () => moveTo(current.place + 1, 0), K: () => moveTo(current.place - 1, 0),
  Home: () => moveTo(0, 0), End: () => moveTo(shown.length - 1, 0),
  PageDown: () => moveTo(placeAt(at("list").scrollTop + at("list").clientHeight), 0),
  PageUp: () => moveTo(placeAt(Math.max(0, at("list").scrollTop - at("list").clientHeight)), 0),
  a: () => { decide(currentUnits(false), ACCEPT); step(1); }, r: () => { decide(currentUnits(false), REJECT); step(1); },
  A: () => { decide(currentUnits(true), ACCEPT); moveTo(current.place + 1, 0); }, R: () => { decide(currentUnits(true), REJECT); moveTo(current.place + 1, 0); },
  x: () => decide(currentUnits(false), OPEN), u: undo, c: () => commentOn(currentUnits(false)[0]),
  n: () => { const next = nextOpen(); if (next) moveTo(...next); else say("nothing is open below this row"); },
  Enter: () => { const entry = shown[current.place]; if (entry) openItem(entry.item); },
  s: saveDecisions, "/": () => at("search").focus(), "?": () => at("keys").showModal(),
};
// Keys that scroll or press elsewhere are ours only where the list has the focus.
const OF_THE_LIST = new Set(["ArrowDown", "ArrowUp", "Home", "End", "PageDown", "PageUp", "Enter"]);

function nextOpen() {
  for (let place = current.place; place < shown.length; place++) {
    const lines = linesOf(shown[place]);
    for (let number = place === current.place ? current.line + 1 : 0; number < lines.length; number++) {
      const unit = unitAt(shown[place], lines[number]);
      if (unit !== undefined && marks[unit] === OPEN) return [place, number];
    }
  }
  return null;
}

function pressed(event) {
  const button = event.target.closest("button");
  if (!button) return;
  const row = button.closest("#list tbody.item tr");
  if (row) current = { place: +row.parentElement.dataset.place, line: +row.dataset.line };
  const { act, order: by, ...about } = button.dataset, unit = +button.closest("[data-unit]")?.dataset.unit;
  if (by) {
    const usual = at("order").value;
    at("order").value = usual === by ? `-${by}` : by;
    choose();
  } else if (act === "item") openItem(shown[current.place].item);
  else if (act === "comment") commentOn(unit);
  else if (act === "show-check") { at("problem").value = `check ${about.check}`; choose(); at("list").focus(); at("list").scrollIntoView({ block: "nearest" }); }
  else if (act === "shown") decide(shownUnits(), MARK_OF[about.mark]);
  else if (act === "item-all") decide(unitsOf(opened), MARK_OF[about.mark]);
  else if (act === "group-all") decide(unitsFor(about), MARK_OF[about.mark]);
  else if (MARK_OF[act] !== undefined && !Number.isNaN(unit)) decide([unit], marks[unit] === MARK_OF[act] ? OPEN : MARK_OF[act]);
  else return;
  for (const cell of at("item").querySelectorAll("[data-unit]")) refreshDecision(cell);
  if (row) markCurrent();
}

function listen() {
  at("list").addEventListener("scroll", () => requestAnimationFrame(() => draw(false)), { passive: true });
  addEventListener("resize", arrangeList);
  narrow.addEventListener("change", arrangeList);
  at("filters").addEventListener("submit", (event) => event.preventDefault());
  at("filters").addEventListener("input", choose);
  at("filters").addEventListener("reset", () => setTimeout(choose));
  addEventListener("hashchange", () => { at("filters").reset(); takeState(); choose(); });
  addEventListener("click", pressed);
  at("undo").addEventListener("click", undo);
  at("save").addEventListener("click", saveDecisions);
  at("help").addEventListener("click", () => at("keys").showModal());
  at("load").addEventListener("click", () => at("file").click());
  at("file").addEventListener("change", async () => {
    const [file] = at("file").files;
    if (file) say(takeDecisions(await file.text()) || `${file.name}: decisions taken over`);
    at("file").value = "";
  });
  at("comment").addEventListener("submit", (event) => {
    if (event.submitter?.value === "save") comment(+at("comment").dataset.unit, at("comment-text").value.trim());
    for (const cell of at("item").querySelectorAll("[data-unit]")) refreshDecision(cell);
  });
  // Paper has no arrows to open things with, and no screen to draw just a part of.
  let closed = [];
  addEventListener("beforeprint", () => {
    closed = [...document.querySelectorAll("details:not([open])")];
    for (const part of closed) part.open = true;
    draw(true, true);
  });
  addEventListener("afterprint", () => {
    for (const part of closed) part.open = false;
    draw(true);
  });
  addEventListener("beforeunload", (event) => { if (unsaved && undone.length) event.preventDefault(); });
  addEventListener("keydown", (event) => {
    const busy = /^(INPUT|SELECT|TEXTAREA)$/.test(document.activeElement.tagName) || document.querySelector("dialog[open]");
    if (busy || event.ctrlKey || event.metaKey || event.altKey || !KEYS[event.key]) return;
    if (OF_THE_LIST.has(event.key) && document.activeElement !== at("list")) return;
    event.preventDefault();
    KEYS[event.key]();
  });
}

async function start() {
  if (!("DecompressionStream" in window)) { at("said").textContent = "This browser is too old to show the list."; return; }
  arrange(await unpacked("data"));
  marks = new Uint8Array(units.length);
  fillFilters();
  takeState();
  listen();
  choose();
  count();
  recall();
  document.body.dataset.ready = "yes";
}
start();
