// An item in full: its changes with their buttons, what is said of it, its picture, and the fields that do not change.
let rest = null, opened = null;

async function openItem(item) {
  opened = item;
  at("item-title").textContent = `${item.code}  ${item.name}`;
  at("item-note").textContent = item.state + (item.group >= 0 ? ` · ${data.groups[item.group]}` : "");
  const own = (place) => (item.units[place] >= 0 && item.units[place] !== item.whole ? item.units[place] : undefined);
  const rows = item.cells.map((cell, place) => itemRow(changeCells(cell), own(place), cell[6]));
  if (item.whole >= 0) rows.unshift(itemRow(wholeCells(item), item.whole));
  at("item-rows").replaceChildren(...rows);
  at("item-findings").replaceChildren(...item.about.map(([level, , field, say]) => made("li", `${data.levels[level]}: ${field >= 0 ? data.fields[field][0] + ": " : ""}${say}`)));
  at("item-rest").replaceChildren();
  at("item-image").hidden = true;
  for (const id of ["item-accept", "item-reject"]) at(id).hidden = !unitsOf(item).length;
  if (!at("item").open) at("item").showModal();
  rest ??= at("rest").textContent ? await unpacked("rest") : { fields: [], rows: [], images: [] };
  if (opened === item) showRest(item);
}

function itemRow(cells, unit, follows) {
  const row = made("tr");
  row.append(...cells, decisionCell(unit, follows));
  for (const cell of row.querySelectorAll("[data-unit]")) refreshDecision(cell);
  return row;
}

function showRest(item) {
  const values = rest.rows[item.place], changed = new Set(item.cells.map((cell) => data.fields[cell[0]][0]));
  const rows = (values || []).flatMap((text, place) => {
    if (changed.has(rest.fields[place])) return [];
    const row = made("tr"), head = made("th", rest.fields[place]);
    head.scope = "row";
    row.append(head, made("td", text || "–"));
    return [row];
  });
  if (!values) rows.push(made("tr"), made("tr"));
  at("item-rest").replaceChildren(...rows.filter((row) => row.children.length));
  at("item-unknown").hidden = Boolean(values) || item.state === "new";
  at("item-same").hidden = !values;
  const address = rest.images[item.place];
  if (!address) return;
  at("item-image").src = address;
  at("item-image").alt = `image of ${item.code}`;
  at("item-image").hidden = false;
}
