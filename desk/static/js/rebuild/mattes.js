// Where a row counts: the named mattes of the ledger.
import * as tree from "./tree.js";

export const mattes = (held) => ({
  get covering() { return this.sources.filter((source) => source.alpha); },
  matteChoices(row) {
    const own = this.ledger.mattes.map(({ id }) => ({ value: `matte ${id}`, text: id, chosen: row.matte === id }));
    const used = new Set(this.ledger.mattes.map(({ source }) => source));
    const fresh = this.covering.filter(({ key }) => !used.has(key));
    return [...own, ...fresh.map(({ key, title }) => ({ value: `alpha ${key}`, text: `alpha of ${title}`, chosen: false }))];
  },
  matteLabel(row) { return `Matte of ${this.rowTitle(row)}`; },
  matteOf(row) { return this.ledger.mattes.find(({ id }) => id === row.matte); },
  isInverted(row) { return this.matteOf(row)?.kind === "inverted"; },
  setMatte(row, chosen) {
    const [, kind, name] = chosen.match(/^(matte|alpha) (.*)$/s) ?? [null, "none", ""];
    if (kind !== "alpha") {
      this.change(row, { matte: kind === "matte" ? name : null });
      return;
    }
    const id = this.freeMatte(`alpha of ${name.split("/").at(-1)}`);
    const mattes = [...held.kept.current.mattes, { kind: "alpha", id, source: name, comment: "" }];
    this.commit(tree.withRow({ ...held.kept.current, mattes }, row.id, { matte: id }));
  },
  // The other way round: the matte that inverts this one, made if there is none, or the one that it inverts.
  invertMatte(row) {
    const ledger = held.kept.current;
    const matte = this.matteOf(row);
    if (matte.kind === "inverted") {
      this.change(row, { matte: matte.of });
      return;
    }
    const known = ledger.mattes.find(({ kind, of }) => kind === "inverted" && of === matte.id);
    const made = known ?? { kind: "inverted", id: this.freeMatte(`not ${matte.id}`), of: matte.id, comment: "" };
    const mattes = known ? ledger.mattes : [...ledger.mattes, made];
    this.commit(tree.withRow({ ...ledger, mattes }, row.id, { matte: made.id }));
  },
  freeMatte(wanted) {
    const taken = new Set(held.kept.current.mattes.map(({ id }) => id));
    const short = wanted.slice(0, 72);
    let id = short;
    for (let number = 2; taken.has(id); number++) id = `${short} ${number}`;
    return id;
  },
});
