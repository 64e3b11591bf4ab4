// Mattes of a ledger document. Each function returns a new document and leaves the old one as it was.
import { walk } from "./tree.js";

// Added, or in place of the one of its id.
export function withMatte(ledger, matte) {
  const at = ledger.mattes.findIndex(({ id }) => id === matte.id);
  return { ...ledger, mattes: at < 0 ? [...ledger.mattes, matte] : ledger.mattes.with(at, matte) };
}

export function withPart(ledger, { matte, index }, changes) {
  const found = ledger.mattes.find(({ id }) => id === matte);
  const { at, ...part } = { ...found.parts[index], ...changes };
  return withMatte(ledger, { ...found, parts: found.parts.with(index, part) });
}

const eachRow = (rows, change) =>
  rows.map((row) => change(row.rows ? { ...row, rows: eachRow(row.rows, change) } : row));

// By another id, wherever it is named. fields: of finishing steps that name mattes.
export function withMatteNamed(ledger, before, id, fields) {
  const name = (old) => (old === before ? id : old);
  const mattes = ledger.mattes.map((matte) => ({
    ...matte, id: name(matte.id), ...(matte.of ? { of: name(matte.of) } : {}),
    ...(matte.parts ? { parts: matte.parts.map((part) => (part.of ? { ...part, of: name(part.of) } : part)) } : {}),
  }));
  return {
    ...ledger,
    mattes,
    rows: eachRow(ledger.rows, (row) => ({ ...row, matte: name(row.matte) })),
    finish: ledger.finish.map((step) => stepWith(step, name, fields)),
  };
}

const stepWith = (step, name, fields) => ({
  ...step,
  ...Object.fromEntries(fields.filter((field) => field in step).map((field) => [field, name(step[field])])),
});
export const stepsUsing = (ledger, id, fields) =>
  ledger.finish.filter((step) => fields.some((field) => step[field] === id));

// Rows and steps that had it have none then.
export function withoutMatte(ledger, id, fields) {
  const rows = eachRow(ledger.rows, (row) => (row.matte === id ? { ...row, matte: null } : row));
  const finish = ledger.finish.map((step) => stepWith(step, (old) => (old === id ? null : old), fields));
  return { ...ledger, mattes: ledger.mattes.filter((matte) => matte.id !== id), rows, finish };
}

export const usersOf = (ledger, id) =>
  [...walk(ledger.rows)].filter(({ row }) => row.matte === id).map(({ row }) => row);

export function freeName(mattes, wanted) {
  const taken = new Set(mattes.map(({ id }) => id));
  const short = wanted.slice(0, 72);
  let id = short;
  for (let number = 2; taken.has(id); number++) id = `${short} ${number}`;
  return id;
}
