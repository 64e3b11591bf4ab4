// The Finish station: the picture, the row of steps under it, and the numbers of the step that is open.
// The steps are part of the ledger, so they are saved, undone and versioned with it. All pixels are computed by the server.
import { isSuperseded, ofFault, pageData, post } from "../api.js";
import { Newest } from "../newest.js";
import { drawnCurves } from "../rebuild/drawn-curves.js";
import { keeping } from "../rebuild/keeping.js";
import { keys } from "../rebuild/keys.js";
import { LISTED, settings } from "../rebuild/settings.js";
import { targetNumbers } from "../rebuild/target-numbers.js";
import { viewer } from "../viewer/index.js";
import { joined } from "../viewer/joined.js";
import "../curve-field.js";
import "../key-field.js";
import { findStep, freeStepId, inOrder, movedStep, onDisplay, withoutStep, withStep } from "./chain.js";
import { handles } from "./handles.js";
import { painting } from "./painting.js";
import { presets } from "./presets.js";

const STAGES = { finished: "finished", rebuilt: "rebuilt" };

export default () => {
  const page = pageData();
  const shared = { ledgers: null, sliding: null, chains: null };

  const station = {
    frames: page.frames,
    sources: page.sources,
    shown: { show: "finished", key: "" },
    openedId: page.step,
    chain: { words: "", strip: "", stages: 1, width: 1, height: 1 },
    remark: "",
    dragged: "",

    init() {
      this.openViewer();
      this.openKeeping();
      shared.chains = new Newest((document) => this.fetchChain(document));
      this.refresh();
      this.account();
      if (this.openedStep) this.aimAtPoint();
    },

    // ---- What is shown ----
    get subject() {
      const matte = this.openedStep?.matte;
      if (this.mattesShown && matte) return { kind: "matte", matte, way: "tint", colour: "#ff9a3c" };
      return { kind: "finish", ...this.shown };
    },
    get extra() { return { ledgerId: page.ledgerId, ledger: shared.sliding ?? shared.ledgers.current }; },
    get question() { return { ...this.extra, frame: this.frame, view: this.viewName }; },
    get title() {
      const { show, key } = this.shown;
      if (this.mattesShown && this.openedStep?.matte) return `matte ${this.openedStep.matte}`;
      return key ? `${show} ${this.nameOf(findStep(this.ledger, key))}` : STAGES[show];
    },
    get probeKey() { return this.shown.show === "rebuilt" ? "rebuilt" : "finished"; },
    isStage(show) { return this.shown.show === show; },
    show(show, key = "") {
      this.shown = { show, key };
      this.refresh();
    },
    get origins() {
      const { finish } = shared.ledgers?.current ?? page.ledger;
      const stages = finish.flatMap((step) => ["before", "after"].map((side) => ({ key: `${side}/${step.id}`, text: `${side} ${this.nameOf(step)}` })));
      const own = { id: "own", text: "this finish", items: [{ key: "rebuilt", text: "rebuilt" }, { key: "finished", text: "finished" }, ...stages] };
      const rendered = { id: "ledger", text: "the ledger", items: [{ key: "rendered", text: "rendered" }] };
      const versions = this.versions.map(({ number, label }) => ({ id: `v${number}`, text: `ledger ${label}`, items: [{ key: "finished", text: "finished" }, { key: "rebuilt", text: "rebuilt" }] }));
      return [own, rendered, ...versions];
    },
    otherSubject({ id }, key) {
      if (id === "ledger") return { kind: "ledger", show: key };
      if (id.startsWith("v")) return { kind: "finish", show: key, version: Number(id.slice(1)) };
      const [show, step] = key.split("/", 2);
      return { kind: "finish", show, key: step ?? "" };
    },
    frameChanged() { this.account(); },
    nameAddress() {
      const query = new URLSearchParams({ frame: this.frame, ...(this.openedId ? { step: this.openedId } : {}) });
      window.history.replaceState(null, "", `?${query}`);
    },
    get handoffUrl() { return `${page.urls.handoff}?frame=${this.frame}`; },
    get rebuildUrl() { return `${page.urls.rebuild}?frame=${this.frame}`; },
    sourceOf({ source }) { return this.sources.find(({ key }) => key === source); },

    // ---- The row of steps ----
    get cards() { return this.ledger.finish.map((step, index) => ({ step, index, id: step.id, firstOnDisplay: this.isFirstOnDisplay(index) })); },
    isFirstOnDisplay(index) {
      const { finish } = this.ledger;
      return onDisplay(finish[index], page.kinds.steps) && !(index > 0 && onDisplay(finish[index - 1], page.kinds.steps));
    },
    get hasDisplaySteps() { return this.ledger.finish.some((step) => onDisplay(step, page.kinds.steps)); },
    nameOf(step) { return step ? step.name || page.kinds.steps[step.kind].title : ""; },
    get openedStep() {
      const step = findStep(this.ledger, this.openedId);
      return step ? { ...step, at: { step: step.id } } : null;
    },
    get openedLines() { return this.openedStep ? [{ row: this.openedStep }] : []; },
    isOpened(step) { return step.id === this.openedId; },
    cardLabel({ step, index }) { return `${index + 1}. ${this.nameOf(step)}${step.enabled ? "" : ", off"}${step.solo ? ", solo" : ""}`; },
    cardClass({ step }) { return { opened: this.isOpened(step), off: !step.enabled || (this.anySolo && !step.solo), target: this.dragged === step.id }; },
    get anySolo() { return this.ledger.finish.some(({ solo }) => solo); },
    isMoving(step) { return Object.values(step).flat().some((value) => Array.isArray(value?.keys)); },
    thumb(place) {
      const { strip, stages } = this.chain;
      const last = Math.max(1, stages - 1);
      return strip ? { backgroundImage: `url(${strip})`, backgroundSize: `100% ${stages * 100}%`, backgroundPosition: `0 ${(Math.min(place, last) / last) * 100}%` } : {};
    },
    beforeStyle({ index }) { return this.thumb(index); },
    afterStyle({ index }) { return this.thumb(index + 1); },
    open(step) {
      this.openedId = this.isOpened(step) ? "" : step.id;
      this.mattesShown = false;
      this.dropAim();
      if (this.shown.key) this.shown = { show: "finished", key: "" };
      this.aimAtPoint();
      this.refresh();
    },
    // A step that has a point is opened with that in the picture.
    aimAtPoint() {
      if (this.openedStep && this.hasPoint(this.openedStep) && this.mayChange) this.placePoint();
    },
    async account(after = null) {
      await after;
      shared.chains.ask(shared.ledgers.current);
    },
    async fetchChain(document) {
      try {
        this.chain = await (await post(page.urls.chain, { ...this.question, ledger: document })).json();
      } catch (error) {
        if (!isSuperseded(error)) this.chain = { ...this.chain, words: ofFault(error).what };
      }
    },

    // ---- Changed ----
    get kindsOffered() {
      const entries = Object.entries(page.kinds.steps).map(([kind, { title, meaning, domains }]) => ({ kind, text: `${title}: ${meaning}`, domain: domains[0] }));
      return [["light", "on light"], ["display", "after the view"]].map(([domain, name]) => ({ name, items: entries.filter((entry) => entry.domain === domain) }));
    },
    addChosen(event) {
      const kind = event.target.value;
      event.target.value = "";
      if (!kind) return;
      const fields = this.neededBy(kind);
      if (!fields) return;
      const { current } = shared.ledgers;
      const id = freeStepId(current, kind);
      const step = { ...page.kinds.steps[kind].blank, ...fields, id };
      this.openedId = id;
      this.commitInOrder({ ...current, finish: [...current.finish, step] });
      this.dropAim();
      this.aimAtPoint();
    },
    // What is added, or works on something else now, goes where its like stands.
    commitInOrder(ledger) { this.commit({ ...ledger, finish: inOrder(ledger.finish, page.kinds.steps) }); },
    // The passes that a kind cannot do without; null where there are none.
    neededBy(kind) {
      const main = this.sourceOf({ source: this.ledger.beauty })?.element;
      const fields = {};
      for (const { field, lists } of page.kinds.steps[kind].settings.filter(({ takes, optional }) => takes === "source" && !optional)) {
        const found = this.sources.find((source) => LISTED[lists](source) && source.element === main) ?? this.sources.find(LISTED[lists]);
        if (!found) {
          this.remark = `There is no pass of ${field} here. Switch it on in the plan and render it, or bring it in.`;
          return null;
        }
        fields[field] = found.key;
      }
      return fields;
    },
    choose(step, field, value) {
      const had = this.hasPoint(step);
      this.commitInOrder(withStep(shared.ledgers.current, step.id, { [field]: value || null }));
      if (this.hasPoint(this.openedStep) !== had) {
        this.dropAim();
        this.aimAtPoint();
      }
    },
    onLabel({ step }) { return `${this.nameOf(step)} on`; },
    setEnabled({ id }, enabled) { this.commit(withStep(shared.ledgers.current, id, { enabled })); },
    removeStep(step) {
      this.dropAim();
      this.openedId = "";
      this.commit(withoutStep(shared.ledgers.current, step.id));
    },
    duplicateStep(step) {
      const { current } = shared.ledgers;
      const id = freeStepId(current, step.id.replace(/-\d+$/, ""));
      const at = current.finish.findIndex((other) => other.id === step.id);
      const { at: place, ...own } = step;
      this.openedId = id;
      this.commit({ ...current, finish: current.finish.toSpliced(at + 1, 0, { ...own, id }) });
    },
    resetStep(step) {
      const { blank, settings: all, curves } = page.kinds.steps[step.kind];
      const fields = [...all.filter(({ takes }) => takes !== "source").map(({ field }) => field), ...curves];
      this.commitInOrder(withStep(shared.ledgers.current, step.id, Object.fromEntries(fields.map((field) => [field, blank[field]]))));
    },
    shift(step, by) {
      const { finish } = shared.ledgers.current;
      const to = finish.findIndex(({ id }) => id === step.id) + by;
      if (to < 0 || to >= finish.length) return;
      const before = by > 0 ? finish[to + 1]?.id : finish[to].id;
      this.commit(movedStep(shared.ledgers.current, step.id, before, page.kinds.steps));
    },
    cardKey(event, card) {
      const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
      if (!by) return;
      event.preventDefault();
      event.stopPropagation();
      if (event.altKey) this.shift(card.step, by);
      const steps = [...event.currentTarget.closest("ol").querySelectorAll(".step-open")];
      const at = steps.indexOf(event.currentTarget);
      if (!event.altKey) steps[at + by]?.focus();
      else this.$nextTick(() => [...this.$refs.chain.querySelectorAll(".step-open")][at + by]?.focus());
    },
    dragFrom(step, event) {
      event.dataTransfer.setData("text/plain", step.id);
      event.dataTransfer.effectAllowed = "move";
    },
    dropOn(before, event) {
      const id = event.dataTransfer.getData("text/plain");
      this.dragged = "";
      if (this.mayChange && findStep(shared.ledgers.current, id) && id !== before) this.commit(movedStep(shared.ledgers.current, id, before, page.kinds.steps));
    },
    // Before and after of one step, by a wipe over the picture.
    split(step) {
      if (this.isSplit(step)) {
        this.compare("wipe");
        this.show("finished");
        return;
      }
      this.shown = { show: "after", key: step.id };
      this.setOther({ origin: "own", key: `before/${step.id}` });
      if (this.isComparing("wipe")) this.refresh();
      else this.compare("wipe");
      this.against = true;
    },
    isSplit(step) { return this.shown.show === "after" && this.shown.key === step.id && this.isComparing("wipe"); },
    // All of the finish, or the picture as it was rebuilt.
    showAll() { this.show(this.isStage("finished") ? "rebuilt" : "finished"); },

    // ---- Curves of a step ----
    get curveNames() { return this.openedStep ? page.kinds.steps[this.openedStep.kind].curves : []; },
    curveBins: () => "null", // no histogram lies behind them

    mattesFor(step, field) { return this.ledger.mattes.map(({ id }) => ({ value: id, text: id, chosen: step[field] === id })); },
    otherMattes(step) {
      return Object.entries(this.kindOf(step).mattes).filter(([field]) => field !== "matte").map(([field, title]) => ({ field, title }));
    },

    // ---- What keeping a ledger asks of its page ----
    mindMatte() {
      if (this.openedId && !findStep(shared.ledgers.current, this.openedId)) {
        this.openedId = "";
        this.dropAim();
      }
      if (this.shown.key && !findStep(shared.ledgers.current, this.shown.key)) this.shown = { show: "finished", key: "" };
    },
    forgetSweep() {},

    ownKeys(event) {
      const step = this.openedStep;
      return {
        1: () => this.show("finished"), 2: () => this.show("rebuilt"),
        b: () => step && this.split(step),
        e: () => step && this.mayChange && this.change(step, { enabled: !step.enabled }),
        ...(event.target.closest("canvas") && step && this.hasPoint(step) && this.mayChange ? this.pointKeys(event, step) : {}),
      };
    },
    pointKeys(event, step) {
      const by = event.shiftKey ? 10 : 1;
      const push = (dx, dy) => {
        this.change(step, { ...this.withNumber(step, { field: "x" }, 0, () => this.numberAt(step, { field: "x" }, 0) + dx), ...this.withNumber(step, { field: "y" }, 0, () => this.numberAt(step, { field: "y" }, 0) + dy) });
      };
      return { ArrowLeft: () => push(-by, 0), ArrowRight: () => push(by, 0), ArrowUp: () => push(0, -by), ArrowDown: () => push(0, by) };
    },
  };
  return viewer(page, joined({}, settings(page, shared), targetNumbers(), drawnCurves((step) => step, (step, curves) => curves), keys(page), painting(page, shared), handles(page, shared), presets(page, shared), keeping(page, shared), station));
};
