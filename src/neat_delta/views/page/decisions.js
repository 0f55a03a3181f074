// What a person has decided: a mark and perhaps a comment for each unit; undone step by step, saved as a file.
const OPEN = 0, ACCEPT = 1, REJECT = 2;
const MARKS = ["", "accept", "reject"], MARKED = ["open", "accepted", "rejected"];
const FORMAT = 2;
let marks, comments = new Map(), undone = [], unsaved = false;

function decide(wanted, mark) {
  // SKU changes stand or fall together: linked items follow them.
  const recoded = wanted.some((unit) => units[unit].field === WHOLE && units[unit].item.recoded);
  const all = new Set(wanted);
  if (recoded) for (const unit of units) if (unit.field === WHOLE && unit.item.recoded) all.add(unit.place);
  const changed = [...all].filter((unit) => marks[unit] !== mark);
  if (!changed.length) return say(all.size ? `already ${MARKED[mark]}` : "there is nothing to decide here");
  undone.push({ marks: changed.map((unit) => [unit, marks[unit]]) });
  for (const unit of changed) marks[unit] = mark;
  decided();
  say(`${several(changed.length, "change")} ${MARKED[mark]}${recoded ? " (SKU changes go together)" : ""}; u undoes it`);
}

function comment(unit, text) {
  const before = comments.get(unit) || "";
  if (text === before) return;
  undone.push({ comment: [unit, before] });
  if (text) comments.set(unit, text);
  else comments.delete(unit);
  decided();
  say(text ? "comment saved in the page" : "comment removed");
}

function undo() {
  const step = undone.pop();
  if (!step) return say("there is nothing to undo");
  for (const [unit, before] of step.marks || []) marks[unit] = before;
  if (step.comment) {
    const [unit, before] = step.comment;
    if (before) comments.set(unit, before);
    else comments.delete(unit);
  }
  decided();
  say("undone");
}

function decided() {
  unsaved = true;
  count();
  refreshRows();
  remember();
}

// One decision a line, so that an error can name it.
function decisionsFile() {
  const lines = [];
  for (const unit of units) {
    const mark = marks[unit.place], said = comments.get(unit.place);
    if (mark === OPEN && !said) continue;
    const line = { item: unit.item.key.split("\u001f"), field: unit.field === WHOLE ? null : data.fields[unit.field][0], decision: MARKS[mark] || null };
    lines.push("  " + JSON.stringify(said ? { ...line, comment: said } : line));
  }
  const head = JSON.stringify({ neat_delta: FORMAT, kind: "decisions", changes: data.changes, saved: new Date().toISOString() });
  return `${head.slice(0, -1)},"decisions":[\n${lines.join(",\n")}\n]}\n`;
}

// Take over the decisions of a file, or of an earlier visit; what is wrong with them is said and nothing is taken.
function takeDecisions(text) {
  let file;
  try {
    file = JSON.parse(text);
  } catch {
    return "This file is not a file of decisions.";
  }
  if (!file || file.kind !== "decisions" || !Array.isArray(file.decisions)) return "This file is not a file of decisions.";
  if (file.changes !== data.changes) return "These decisions belong to another change set. Open the page that was made from it.";
  const fields = new Map(data.fields.map(([name], place) => [name, place]));
  const found = new Map();
  for (const [place, one] of file.decisions.entries()) {
    const item = Array.isArray(one.item) ? byKey.get(one.item.join("\u001f")) : undefined;
    const field = one.field === null || one.field === undefined ? WHOLE : fields.get(one.field);
    const unit = item && unitsOf(item).find((own) => units[own].field === field);
    const mark = one.decision === null || one.decision === undefined ? OPEN : MARKS.indexOf(one.decision);
    const name = `Decision ${place + 1} (${Array.isArray(one.item) ? one.item.join(" · ") : "?"} ${one.field || ""})`;
    // (A page of a part of the change set has not all of its changes.)
    if (unit === undefined) { if (data.whole) return `${name} is about no change of this change set.`; continue; }
    if (mark < 0) return `${name} is neither accept nor reject.`;
    if (found.has(unit) && found.get(unit).mark !== mark) return `${name} contradicts an earlier one.`;
    found.set(unit, { mark, said: one.comment || "" });
  }
  undone = [];
  marks.fill(OPEN);
  comments = new Map();
  for (const [unit, { mark, said }] of found) {
    marks[unit] = mark;
    if (said) comments.set(unit, said);
  }
  count();
  refreshRows();
  return null;
}

function saveDecisions() {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([decisionsFile()], { type: "application/json" }));
  link.download = data.file;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
  unsaved = false;
  at("next").hidden = false;
  const open = marks.reduce((sum, mark) => sum + (mark === OPEN), 0);
  say(`saved as ${data.file}, in the folder of your downloads${open ? `; ${several(open, "change")} still open, which pick rejects` : ""}`);
}

// The browser keeps what is decided until it is saved, so that a closed window loses nothing; where it may not, it asks.
const memory = () => `neat-delta ${data.part}`;
let remembering = null;
function remember() {
  clearTimeout(remembering);
  remembering = setTimeout(() => {
    try {
      localStorage.setItem(memory(), decisionsFile());
      unsaved = false;
    } catch { /* asked when the page is left */ }
  }, 300);
}
function recall() {
  try {
    const kept = localStorage.getItem(memory());
    if (kept && takeDecisions(kept) === null && marks.some((mark) => mark !== OPEN)) say("your decisions of last time are here again");
  } catch { /* nothing is kept here */ }
}

function count() {
  const number = [0, 0, 0];
  const fields = new Map(), groups = new Map();
  for (const unit of units) {
    const mark = marks[unit.place];
    number[mark]++;
    if (mark === OPEN) {
      fields.set(unit.field, (fields.get(unit.field) || 0) + 1);
      groups.set(unit.item.group, (groups.get(unit.item.group) || 0) + 1);
    }
  }
  at("open").textContent = `${number[OPEN].toLocaleString("en")} open`;
  at("accepted").textContent = `✓ ${number[ACCEPT].toLocaleString("en")} accepted`;
  at("rejected").textContent = `✗ ${number[REJECT].toLocaleString("en")} rejected`;
  at("undo").disabled = !undone.length;
  for (const cell of document.querySelectorAll("[data-open-field]")) cell.textContent = (fields.get(+cell.dataset.openField) || 0).toLocaleString("en");
  for (const cell of document.querySelectorAll("[data-open-group]")) cell.textContent = (groups.get(+cell.dataset.openGroup) || 0).toLocaleString("en");
}
