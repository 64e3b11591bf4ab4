// Order, copies, groups, and elements brought into line with each other or the sheet.
import { around, boxOf, round } from "./boxes.js";

const ALIGN = {
  left: (box, whole) => ({ x: whole.x - box.x }),
  centre: (box, whole) => ({ x: whole.x + whole.width / 2 - box.x - box.width / 2 }),
  right: (box, whole) => ({ x: whole.x + whole.width - box.x - box.width }),
  top: (box, whole) => ({ y: whole.y - box.y }),
  middle: (box, whole) => ({ y: whole.y + whole.height / 2 - box.y - box.height / 2 }),
  bottom: (box, whole) => ({ y: whole.y + whole.height - box.y - box.height }),
};

export const arranging = () => ({
  freeId(stem, taken) {
    let id = stem;
    for (let number = 2; taken.has(id); number++) id = `${stem}_${number}`;
    taken.add(id);
    return id;
  },
  get ids() { return new Set(this.elements.map(({ id }) => id)); },
  add(kind) {
    const fresh = JSON.parse(JSON.stringify(kind.usual));
    fresh.id = this.freeId(kind.kind, this.ids);
    const wide = this.board.width;
    Object.assign(fresh, { x: round(wide / 2 - wide / 10), y: round(this.board.height / 2 - wide / 20) });
    if ("width" in fresh)
      Object.assign(fresh, { width: round(wide / 5), height: round(kind.kind === "band" ? wide / 20 : wide / 8.9) });
    if (kind.kind === "text" || kind.kind === "marks") fresh.size = round(wide / 40);
    if (kind.kind === "picture" && this.shots.length) {
      const shot = this.shots.find(({ code }) => code === this.ownShot) ?? this.shots[0];
      fresh.source = { kind: "shot", shot: shot.code, frame: shot.frames[0], version: 0, view: "film", alpha: "over" };
    }
    this.change((board) => board.elements.push(fresh));
    this.chosen = [fresh.id];
    this.redraw();
  },
  duplicate() {
    const taken = this.ids;
    const copies = this.picked.map((element) => ({
      ...JSON.parse(JSON.stringify(element)),
      id: this.freeId(element.id.replace(/_\d+$/, ""), taken),
    }));
    for (const copy of copies)
      Object.assign(copy, { x: round(copy.x + this.board.width / 40), y: round(copy.y + this.board.width / 40) });
    this.change((board) => board.elements.push(...copies));
    this.chosen = copies.map(({ id }) => id);
    this.redraw();
  },
  remove() {
    const gone = new Set(this.chosen);
    this.change((board) => { board.elements = board.elements.filter(({ id, locked }) => !gone.has(id) || locked); });
  },
  // One place up or down in the list, all that are chosen together.
  reorder(step) {
    const ids = new Set(this.chosen);
    this.change((board) => {
      const list = step > 0 ? board.elements.reverse() : board.elements;
      for (let place = 1; place < list.length; place++) {
        if (ids.has(list[place].id) && !ids.has(list[place - 1].id))
          [list[place - 1], list[place]] = [list[place], list[place - 1]];
      }
      if (step > 0) board.elements.reverse();
    });
  },
  nudge([x, y], times) {
    const step = (this.board.unit === "px" ? 1 : this.board.unit === "inch" ? 0.02 : 0.5) * times;
    this.changePicked((element) => {
      if (!element.locked) Object.assign(element, { x: round(element.x + x * step), y: round(element.y + y * step) });
    });
  },
  group() {
    const name = this.freeId("group", new Set(this.elements.map(({ group }) => group)));
    this.changePicked((element) => { element.group = name; });
  },
  ungroup() { this.changePicked((element) => { element.group = ""; }); },
  get isGrouped() { return this.picked.some(({ group }) => group); },
  // Several with each other, one with the sheet.
  align(how) {
    const boxes = new Map(this.picked.map((element) => [element.id, boxOf(element, this.$refs.sheet)]));
    const whole =
      boxes.size > 1 ? around([...boxes.values()]) : { x: 0, y: 0, width: this.board.width, height: this.board.height };
    this.changePicked((element) => {
      if (element.locked) return;
      const by = ALIGN[how](boxes.get(element.id), whole);
      Object.assign(element, { x: round(element.x + (by.x ?? 0)), y: round(element.y + (by.y ?? 0)) });
    });
  },
  // Equal gaps between the outermost two.
  distribute(along) {
    const side = along === "x" ? "width" : "height";
    const boxes = this.picked
      .map((element) => ({ id: element.id, ...boxOf(element, this.$refs.sheet) }))
      .sort((a, b) => a[along] - b[along]);
    const whole = around(boxes);
    const gap = (whole[side] - boxes.reduce((sum, box) => sum + box[side], 0)) / (boxes.length - 1);
    const places = new Map();
    let at = whole[along];
    for (const box of boxes) {
      places.set(box.id, at - box[along]);
      at += box[side] + gap;
    }
    this.changePicked((element) => {
      if (!element.locked) element[along] = round(element[along] + places.get(element.id));
    });
  },
  get canDistribute() { return this.picked.length > 2; },
});
