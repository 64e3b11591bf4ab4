// The finishing steps of a ledger document. Each function returns a new document and leaves the old one as it was.
export const onDisplay = (step, kinds) => (step.works_on ?? kinds[step.kind].domains[0]) === "display";

// Light before display values, as the server has them: there is one view between.
export const inOrder = (steps, kinds) => [
  ...steps.filter((step) => !onDisplay(step, kinds)),
  ...steps.filter((step) => onDisplay(step, kinds)),
];

export const findStep = (ledger, id) => ledger.finish.find((step) => step.id === id);

export const withStep = (ledger, id, changes) => {
  const { at, ...own } = changes;
  return { ...ledger, finish: ledger.finish.map((step) => (step.id === id ? { ...step, ...own } : step)) };
};

export const withoutStep = (ledger, id) => ({ ...ledger, finish: ledger.finish.filter((step) => step.id !== id) });

// Before another step, or last.
export function movedStep(ledger, id, before, kinds) {
  const step = findStep(ledger, id);
  const rest = ledger.finish.filter((other) => other !== step);
  const at = before ? rest.findIndex((other) => other.id === before) : rest.length;
  return { ...ledger, finish: inOrder(rest.toSpliced(at < 0 ? rest.length : at, 0, step), kinds) };
}

export function freeStepId(ledger, wanted) {
  const taken = new Set(ledger.finish.map(({ id }) => id));
  let id = wanted;
  for (let number = 2; taken.has(id); number++) id = `${wanted}-${number}`;
  return id;
}
