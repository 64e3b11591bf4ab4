// Changes of a ledger document. Each returns a new document and leaves the old one as it was.
const NEUTRAL = { on: true, amount: 1, exposure: 0, tint: [1, 1, 1] };

export const withRow = (ledger, id, changes) => ({
  ...ledger,
  rows: ledger.rows.map((row) => (row.id === id ? { ...row, ...changes } : row)),
});

export const withReset = (ledger, id) => withRow(ledger, id, { ...NEUTRAL });

export const without = (ledger, id) => ({ ...ledger, rows: ledger.rows.filter((row) => row.id !== id) });

// A source that adds light and is not in the sum yet belongs to the rebuild; anything else is a change laid on top.
export function withNew(ledger, source) {
  const operator = source.role === "scale" ? "multiply" : source.role === "cover" ? "over" : "add";
  const rebuilds = (source.role === "light" || source.role === "group") && !ledger.rows.some((row) => row.source === source.key);
  const row = { id: freeId(ledger, source.key), source: source.key, operator, in_balance: rebuilds, ...NEUTRAL };
  // A part of the rebuild goes to the other parts, above the changes laid on top.
  const at = rebuilds ? ledger.rows.findLastIndex((row) => row.in_balance) + 1 : ledger.rows.length;
  return { ...ledger, rows: ledger.rows.toSpliced(at, 0, row) };
}

export function withCopy(ledger, id) {
  const at = ledger.rows.findIndex((row) => row.id === id);
  const copy = { ...ledger.rows[at], id: freeId(ledger, ledger.rows[at].source), in_balance: false };
  return { ...ledger, rows: ledger.rows.toSpliced(at + 1, 0, copy) };
}

// Moves a row to the place of another, or by a number of places.
export function moved(ledger, id, to) {
  const from = ledger.rows.findIndex((row) => row.id === id);
  const target = Math.min(ledger.rows.length - 1, Math.max(0, to));
  if (from < 0 || from === target) return ledger;
  const rows = ledger.rows.toSpliced(from, 1);
  return { ...ledger, rows: rows.toSpliced(target, 0, ledger.rows[from]) };
}

function freeId(ledger, source) {
  const taken = new Set(ledger.rows.map((row) => row.id));
  let number = 2;
  if (!taken.has(source)) return source;
  while (taken.has(`${source}-${number}`)) number++;
  return `${source}-${number}`;
}
