// The bench of what is ordered by depth: its elements, the picture, the section of a pixel, and all samples in space.
// The group is a row of a ledger; it changes here, and goes into the ledger when asked. All pixels are computed by the server.
import { pageData, post } from "../api.js";
import { History } from "../history.js";
import { at, changedTo, isKeyed } from "../rebuild/time.js";
import { find, withRow, without } from "../rebuild/tree.js";
import { viewer } from "../viewer/index.js";
import { joined } from "../viewer/joined.js";
import { clouds } from "./cloud.js";
import { limits } from "./limits.js";
import { sections } from "./section.js";

const SHOWS = { seen: "by depth", flat: "merged flat, by Z", difference: "difference from flat", samples: "samples a pixel" };
const PICTURE_FIRST = 500; // milliseconds
const LEAST = 1e-4; // share of the reach by which a card stands before what was pressed

export default () => {
  const page = pageData();
  const history = new History(page.ledger);
  const shared = { sliding: null, section: null, cloud: null };
  let insideTimer = 0;

  const bench = {
    frames: page.frames,
    group: history.current.rows[0],
    facts: page.facts,
    show: "seen",
    chosen: "", // id of the card that is moved
    remark: "",
    inLedger: page.inLedger,
    isPut: page.inLedger, // the ledger has it as it is here
    mayChange: page.mayChange,
    wanted: "",

    init() {
      this.chosen = this.cards[0]?.id ?? "";
      this.openViewer();
      this.openSection();
      this.openCloud();
      this.refresh();
      this.lookInside();
    },

    // ---- What is shown ----
    get document() { return shared.sliding ?? history.current; },
    get subject() { return { kind: "depth", show: this.show }; },
    get extra() { return { ledgerId: page.ledgerId, ledger: this.document, row: page.row }; },
    get shows() { return Object.entries(SHOWS).map(([key, text]) => ({ key, text })); },
    get title() { return SHOWS[this.show]; },
    get isData() { return this.show === "samples"; },
    get probeKey() { return this.show === "samples" ? "samples" : "seen"; },
    isShown(key) { return this.show === key; },
    showAs(key) {
      this.show = key;
      this.refresh();
    },
    get origins() { return [{ id: "depth", text: "this group", items: this.shows }]; },
    otherSubject(origin, key) { return { kind: "depth", show: key }; },
    frameChanged() { this.lookInside(); },
    // What does not follow a drag: the section, and once the sharp picture has had the server, points and numbers.
    lookInside() {
      this.askSection();
      clearTimeout(insideTimer);
      insideTimer = setTimeout(() => {
        this.askCloud();
        this.guarded(async () => (this.facts = await (await post(page.urls.facts, this.asked())).json()));
      }, PICTURE_FIRST);
    },
    get factsText() {
      const { samples, most, mean, near, far } = this.facts;
      return samples ? `${this.facts.about ? "about " : ""}${samples.toLocaleString("en")} samples, ${mean.toFixed(2)} a pixel, at most ${most}; depth ${near.toPrecision(4)} to ${far.toPrecision(4)}` : "no samples in this frame";
    },

    // One bar for each number of samples, from none to the most; as high as the root of its share, so that rare ones are seen.
    get histogramPath() {
      const wide = 250 / this.facts.histogram.length;
      return this.facts.histogram.map((share, place) => `M${(place * wide).toFixed(2)} 26v${(-26 * Math.sqrt(share)).toFixed(2)}h${(wide * 0.9).toFixed(2)}V26z`).join("");
    },

    // ---- Elements ----
    get elements() { return this.group.rows; },
    get cards() { return this.group.rows.filter(({ kind }) => kind === "card"); },
    isCard(row) { return row.kind === "card"; },
    isChosen(row) { return row.id === this.chosen; },
    choose(row) {
      this.chosen = this.isCard(row) ? row.id : "";
      this.drawSection();
    },
    titleOf(row) { return page.sources.find(({ key }) => key === row.source)?.title ?? row.source; },
    kindText(row) { return this.isCard(row) ? "card" : "deep"; },
    depthField(row) { return this.isCard(row) ? "depth" : "add"; },
    depthText(row) { return this.isCard(row) ? "depth" : "moved"; },
    depthLabel(row) { return `${this.isCard(row) ? "Depth" : "Depth moved by"} of ${row.id}`; },
    depthOf(row) { return at(row[this.depthField(row)], this.frame); },
    isKeyed(row) { return isKeyed(row[this.depthField(row)]); },
    keyText(row) { return this.isKeyed(row) ? "keyed: a change sets a key at this frame" : ""; },
    onLabel(row) { return `${row.id} on`; },
    hidesLabel(row) { return `${row.id} is a holdout`; },
    removeLabel(row) { return `Take ${row.id} out`; },
    get step() { return Math.max(1e-3, (this.facts.far - this.facts.near) / 500); },
    withDepth(row, value) {
      const field = this.depthField(row);
      return withRow(history.current, row.id, { [field]: changedTo(find(history.current, row.id)[field], this.frame, value) });
    },
    slideDepth(row, value) {
      shared.sliding = this.withDepth(row, value);
      this.group = shared.sliding.rows[0];
      this.askSliding();
      this.drawSection();
    },
    setDepth(row, value) { this.commit(this.withDepth(row, value)); },
    setOn(row, on) { this.commit(withRow(history.current, row.id, { on })); },
    setHides(row, hides) { this.commit(withRow(history.current, row.id, { hides })); },
    takeOut(row) { this.commit(without(history.current, row.id)); },
    get canAdd() { return page.sources.filter(({ data, isDeep }) => !data || isDeep).map((source) => ({ id: source.isDeep ? source.key : `card ${source.key}`, text: `${source.isDeep ? "deep" : "card"}: ${source.title}` })); },
    async add(event) {
      const source = event.target.value;
      event.target.value = "";
      if (!source) return;
      await this.guarded(async () => {
        const answer = await (await post(page.urls.add, { ...this.asked(), source })).json();
        this.remark = answer.remark;
        this.commit(answer.ledger);
        if (source.startsWith("card ")) this.chosen = answer.row;
      });
    },
    commit(document) {
      shared.sliding = null;
      history.change(document);
      this.settled();
    },
    settled() {
      this.group = history.current.rows[0];
      this.isPut = false;
      this.askPicture({});
      this.askProbe();
      this.lookInside();
    },
    get canUndo() { return this.group && history.past.length > 0; },
    get canRedo() { return this.group && history.future.length > 0; },
    undo() {
      history.undo();
      this.settled();
    },
    redo() {
      history.redo();
      this.settled();
    },
    // The chosen card goes just before the first thing of others that is seen at a pixel.
    pickDepth() {
      const row = find(history.current, this.chosen);
      if (!row) return;
      this.aimOnce("depth", `Press what ${row.id} is to stand before`, async (pixel) => {
        const { slabs } = await (await post(page.urls.section, { ...this.asked(), ...pixel })).json();
        const others = slabs.filter((slab) => slab.row !== row.id && slab.alpha > 0).map(({ front }) => front);
        if (!others.length) this.remark = "Nothing is there at that pixel.";
        else this.setDepth(row, Math.min(...others) - LEAST * (this.facts.far - this.facts.near));
      });
    },
    get canPick() { return Boolean(this.chosen) && this.mayChange; },

    // ---- Into the ledger, and into files ----
    get putText() { return this.isPut ? "In the ledger" : this.inLedger ? "Update the ledger" : "Put into the ledger"; },
    async put() {
      await this.guarded(async () => {
        await post(page.urls.put, { ...this.asked(), ledger: history.current });
        this.inLedger = this.isPut = true;
        this.remark = `Row ${this.group.name || page.row} of the ledger “${page.ledgerName}” is as it is here.`;
      });
    },
    get rebuildUrl() { return `${page.urls.rebuild}?frame=${this.frame}&row=${encodeURIComponent(page.row)}`; },
    nameAddress() { window.history.replaceState(null, "", `?${new URLSearchParams({ frame: this.frame, row: page.row })}`); },
    warn(event) {
      if (!this.isPut && history.past.length) event.preventDefault();
    },

    ownKeys(event) {
      if (event.target.closest("canvas, button, body") === null) return {};
      return {
        1: () => this.showAs("seen"), 2: () => this.showAs("flat"), 3: () => this.showAs("difference"), 4: () => this.showAs("samples"),
        ArrowLeft: () => this.stepPixel(-1, 0), ArrowRight: () => this.stepPixel(1, 0), ArrowUp: () => this.stepPixel(0, -1), ArrowDown: () => this.stepPixel(0, 1),
        d: () => this.pickDepth(),
      };
    },
  };
  return viewer(page, joined({}, sections(page, shared), clouds(page, shared), limits(page), bench));
};
