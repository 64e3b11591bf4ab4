// Rows of a ledger document, which groups may hold. Each function returns a new document and leaves the old one as it
// was.

// Every row with how deep it lies and the id of its group, a group before what is in it.
export function* walk(rows, depth = 0, group = "") {
  for (const row of rows) {
    yield { row, depth, group };
    if (row.rows) yield* walk(row.rows, depth + 1, row.id);
  }
}

export const find = (ledger, id) => walk(ledger.rows).find(({ row }) => row.id === id)?.row;

export const holds = (row, id) => Boolean(row.rows) && walk(row.rows).some((inner) => inner.row.id === id);

const changed = (rows, id, change) =>
  rows.flatMap((row) => {
    if (row.id === id) return change(row);
    return row.rows ? [{ ...row, rows: changed(row.rows, id, change) }] : [row];
  });

export const withRow = (ledger, id, changes) => ({
  ...ledger,
  rows: changed(ledger.rows, id, (row) => [{ ...row, ...changes }]),
});

export const without = (ledger, id) => ({ ...ledger, rows: changed(ledger.rows, id, () => []) });

export const replaced = (ledger, id, rows) => ({ ...ledger, rows: changed(ledger.rows, id, () => rows) });

export const after = (ledger, id, added) => ({ ...ledger, rows: changed(ledger.rows, id, (row) => [row, added]) });

const siblings = (ledger, group) => (group ? find(ledger, group).rows : ledger.rows);

const withSiblings = (ledger, group, rows) => (group ? withRow(ledger, group, { rows }) : { ...ledger, rows });

// Where a row lies: the id of its group, and its number there.
export function placeOf(ledger, id) {
  const { group } = walk(ledger.rows).find(({ row }) => row.id === id);
  return { group, at: siblings(ledger, group).findIndex((row) => row.id === id) };
}

// The row taken out and put where `before` lies, or last in `group`.
export function moved(ledger, id, { before = "", group = "" }) {
  const row = find(ledger, id);
  if (!row || id === before || id === group || holds(row, before) || holds(row, group)) return ledger;
  const rest = without(ledger, id);
  if (before) return { ...rest, rows: changed(rest.rows, before, (other) => [row, other]) };
  return withSiblings(rest, group, [...siblings(rest, group), row]);
}

// One place up or down among its siblings.
export function shifted(ledger, id, by) {
  const { group, at } = placeOf(ledger, id);
  const rows = siblings(ledger, group);
  const to = at + by;
  if (to < 0 || to >= rows.length) return ledger;
  return withSiblings(ledger, group, rows.toSpliced(at, 1).toSpliced(to, 0, rows[at]));
}

// Into the group just above, as its last row; or out of its group, to just below it.
export function indented(ledger, id, into) {
  const { group, at } = placeOf(ledger, id);
  if (!into) return group ? after(without(ledger, id), group, find(ledger, id)) : ledger;
  const above = siblings(ledger, group)[at - 1];
  return above?.rows ? moved(ledger, id, { group: above.id }) : ledger;
}

export function freeId(ledger, wanted) {
  const taken = new Set(walk(ledger.rows).map(({ row }) => row.id));
  let number = 2;
  if (!taken.has(wanted)) return wanted;
  while (taken.has(`${wanted}-${number}`)) number++;
  return `${wanted}-${number}`;
}
