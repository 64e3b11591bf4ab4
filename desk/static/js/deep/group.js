// The elements that are ordered by depth: cards and deep files, moved along it.
import { post } from "../api.js";
import { reactive } from "../reactive.js";
import { at, changedTo, isKeyed } from "../rebuild/time.js";
import { find, withRow, without } from "../rebuild/tree.js";

const LEAST = 1e-4; // share of the reach by which a card stands before what was pressed

/** @typedef {ReturnType<typeof createGroup>} Group */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 * @param {import("./inside.js").Inside} uses.inside
 * @param {import("../viewer/frames.js").Frames} uses.frames
 * @param {import("../viewer/pictures.js").Picture} uses.picture
 * @param {import("../viewer/aiming.js").Aim} uses.aim
 * @param {import("../viewer/notices.js").Notices} uses.notices
 * @param {() => void} uses.onChoose another card is the one that is moved
 */
export const createGroup = (page, { editor, inside, frames, picture, aim, notices, onChoose }) => reactive({
  chosen: page.ledger.rows[0].rows.find(({ kind }) => kind === "card")?.id ?? "", // the card that is moved

  get elements() { return editor.row.rows; },
  get cards() { return editor.row.rows.filter(({ kind }) => kind === "card"); },
  isCard(row) { return row.kind === "card"; },
  isChosen(row) { return row.id === this.chosen; },
  choose(row) {
    this.chosen = this.isCard(row) ? row.id : "";
    onChoose();
  },
  titleOf(row) { return page.sources.find(({ key }) => key === row.source)?.title ?? row.source; },
  kindText(row) { return this.isCard(row) ? "card" : "deep"; },
  depthField(row) { return this.isCard(row) ? "depth" : "add"; },
  depthText(row) { return this.isCard(row) ? "depth" : "moved"; },
  depthLabel(row) { return `${this.isCard(row) ? "Depth" : "Depth moved by"} of ${row.id}`; },
  depthOf(row) { return at(row[this.depthField(row)], frames.current); },
  isKeyed(row) { return isKeyed(row[this.depthField(row)]); },
  keyText(row) { return this.isKeyed(row) ? "keyed: a change sets a key at this frame" : ""; },
  onLabel(row) { return `${row.id} on`; },
  hidesLabel(row) { return `${row.id} is a holdout`; },
  removeLabel(row) { return `Take ${row.id} out`; },
  get step() { return Math.max(1e-3, (inside.facts.far - inside.facts.near) / 500); },
  withDepth(row, value) {
    const field = this.depthField(row);
    return withRow(editor.current(), row.id, {
      [field]: changedTo(find(editor.current(), row.id)[field], frames.current, value),
    });
  },
  slideDepth(row, value) {
    editor.preview(this.withDepth(row, value));
  },
  setDepth(row, value) { editor.commit(this.withDepth(row, value)); },
  setOn(row, on) { editor.commit(withRow(editor.current(), row.id, { on })); },
  setHides(row, hides) { editor.commit(withRow(editor.current(), row.id, { hides })); },
  takeOut(row) { editor.commit(without(editor.current(), row.id)); },
  get canAdd() {
    return page.sources
      .filter(({ data, isDeep }) => !data || isDeep)
      .map((source) => ({
        id: source.isDeep ? source.key : `card ${source.key}`,
        text: `${source.isDeep ? "deep" : "card"}: ${source.title}`,
      }));
  },
  async add(event) {
    const source = event.target.value;
    event.target.value = "";
    if (!source) return;
    await notices.guarded(async () => {
      const answer = await (await post(page.urls.add, { ...picture.asked(), source })).json();
      notices.remark = answer.remark;
      editor.commit(answer.ledger);
      if (source.startsWith("card ")) this.chosen = answer.row;
    });
  },
  // The chosen card goes just before the first thing of others that is seen at a pixel.
  pickDepth() {
    const row = find(editor.current(), this.chosen);
    if (!row) return;
    aim.once("depth", `Press what ${row.id} is to stand before`, async (pixel) => {
      const { slabs } = await (await post(page.urls.section, { ...picture.asked(), ...pixel })).json();
      const others = slabs.filter((slab) => slab.row !== row.id && slab.alpha > 0).map(({ front }) => front);
      if (!others.length) notices.remark = "Nothing is there at that pixel.";
      else this.setDepth(row, Math.min(...others) - LEAST * (inside.facts.far - inside.facts.near));
    });
  },
  get canPick() { return Boolean(this.chosen) && editor.mayChange; },
});
