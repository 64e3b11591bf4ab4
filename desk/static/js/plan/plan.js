// The Plan station: a plan that is answered at every change with its files and findings, and saved by itself.
// The sections of the page are components of their own inside this one and change the plan through it.
import { get, ofFault, pageData, post } from "../api.js";
import { Kept } from "../kept.js";
import { duration } from "../numbers.js";
import { fieldOf, fieldTitle, megabytes, toggled, withFields } from "./fields.js";

const SECTIONS = ["sheet", "shot", "lights", "quality", "mist", "extras", "packing", "names", "presets"];
const MEASURE_EVERY = 1500;
const MEASURE_FOR = 120_000;
const MOST_SAMPLES = 1000; // deep, of a plan

export default () => {
  const page = pageData();
  let kept = null;
  let changes = Promise.resolve();
  let answered = null; // what the newest plan was answered with
  let undrawn = false; // whether the page shows an older plan than is kept

  return {
    plan: page.plan,
    answer: Object.freeze(page.answer), // frozen, so that thousands of files are not watched one by one
    scene: page.scene,
    mayChange: page.mayChange,
    versions: page.versions,
    viewing: page.viewing,
    presets: page.presets,
    shots: page.shots,
    sizes: page.sizes,
    formats: page.formats,
    section: SECTIONS.includes(location.hash.slice(1)) ? location.hash.slice(1) : "sheet",
    revised: 0, // up by one whenever plan or answer are new
    sceneFault: page.sceneFault,
    sceneUrl: page.urls.scene,
    foreign: null,
    canUndo: false,
    canRedo: false,
    fault: null,
    notice: "",
    measuring: false,
    limiting: false,
    limitError: 0.01,
    limitCosts: [],
    limitBest: null, // number of the cheapest within that error

    init() {
      kept = new Kept({
        document: page.plan,
        revision: page.revision,
        url: page.urls.save,
        field: "plan",
        say: (state) => this.say(state),
        onFault: (error) => (this.fault = error),
      });
      this.say(page.mayChange ? "saved" : "read-only");
      window.addEventListener("hashchange", () => this.show(location.hash.slice(1) || "sheet")); // Back, too
    },
    say(state) {
      window.dispatchEvent(new CustomEvent("eager:keeping", { detail: `plan ${tag(this.plan.number)} · ${state}` }));
    },

    // ---- Changing ----
    // A change is a function from the plan to the fields that become different. Changes wait for each other, so that
    // quick ones build on one another; each is first answered, and kept only if the plan is sound enough to be one.
    change(fieldsOf) {
      return this.inTurn(async () => {
        const changed = withFields(kept.current, fieldsOf(kept.current));
        const plan = this.isLocked(changed.number) ? { ...changed, number: this.nextNumber() } : changed;
        answered = await this.ask(plan);
        kept.change(plan);
      });
    },
    put(name, value) { return this.change(() => ({ [name]: value })); },
    typed(name, { target }) {
      if (target.type === "checkbox") this.put(name, target.checked);
      else this.put(name, target.dataset.number === undefined ? target.value.trim() : Number(target.value));
    },
    at(name) { return fieldOf(this.plan, name); },
    is(name, value) { return fieldOf(this.plan, name) === value; },
    undo() { this.inTurn(() => this.stepped(() => kept.undo())); },
    redo() { this.inTurn(() => this.stepped(() => kept.redo())); },
    async stepped(step) {
      step();
      answered = await this.ask(kept.current);
    },
    inTurn(work) {
      kept.coming += 1; // from here on the page differs from what is stored
      this.say(kept.state);
      const carried = changes.then(work);
      changes = carried
        .then(
          () => null,
          (error) => error,
        )
        .then((error) => {
          kept.coming -= 1;
          undrawn ||= !error;
          // Drawn once for quick changes, so that none is seen to be taken back
          if (undrawn && !kept.coming) this.adopt();
          if (error) this.fault = error; // what was typed stays
          this.say(kept.state);
        });
      return changes;
    },
    // Resolves once every change so far is part of the plan.
    settled() { return changes; },
    async ask(plan) { return Object.freeze(await (await post(page.urls.answer, { plan })).json()); },
    adopt() {
      undrawn = false;
      this.plan = kept.current;
      this.answer = answered ?? this.answer;
      this.canUndo = kept.canUndo;
      this.canRedo = kept.canRedo;
      this.fault = null;
      this.revised += 1;
    },
    async refresh() {
      this.answer = await this.ask(this.plan);
      this.revised += 1;
    },
    async attempt(work) {
      this.fault = null;
      try {
        return await work();
      } catch (error) {
        this.fault = ofFault(error);
        return null;
      }
    },
    key(event) {
      if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== "z") return;
      event.preventDefault();
      if (event.shiftKey && this.canRedo) this.redo();
      else if (!event.shiftKey && this.canUndo) this.undo();
    },

    // ---- Sections ----
    show(section) {
      if (!SECTIONS.includes(section)) return;
      if (section !== this.section && section !== location.hash.slice(1)) history.pushState(null, "", `#${section}`);
      this.section = section;
    },
    showing(section) { return this.section === section; },
    get sheetText() { return `${this.plan.layers.length} × ${Math.max(1, this.plan.cameras.length)}`; },
    get shotText() { return `${this.answer.frames} fr, ${this.answer.size.join(" × ")}`; },
    get lightsText() {
      const rendered = this.answer.lightGroups.filter((group) => group.rendered).length;
      return `${rendered} of ${this.answer.lightGroups.length} groups`;
    },
    get qualityText() { return `${this.plan.quality.samples} samples`; },
    get mistText() {
      const mist = this.plan.mist ?? this.scene.mist;
      return mist ? `${short(mist.near)} – ${short(mist.far)}` : "none";
    },
    get extrasText() { return `${this.plan.deep.most_samples} deep, ${this.plan.cryptomatte.levels} levels`; },
    get packingText() {
      return { "one-file": "one file", "each-pass": "file for each", "colour-and-data": "two files", parts: "parts" }[
        this.plan.packing.rule
      ];
    },
    get namesText() { return this.answer.files.length ? this.answer.files[0][0].split("/").at(-1) : "no file yet"; },
    get presetsText() {
      if (!this.plan.applied) return "none applied";
      return this.differences.length ? `${this.differences.length} changed` : "as applied";
    },

    // ---- Shot, cameras, lights ----
    get writtenText() {
      const [width, height] = this.answer.size;
      const { width: wide, height: high, scale, overscan } = this.plan.shot;
      const full = `full size ${wide} × ${high}, ${millions(wide * high)}`;
      return scale === 1 && !overscan ? full : `written ${width} × ${height}, ${millions(width * height)} (${full})`;
    },
    get framesText() {
      const warm = this.plan.shot.warm_up;
      const thrown = warm ? `; ${warm} before them are rendered and thrown away` : "";
      return `${this.answer.frames} frames: ${this.answer.frameList}${thrown}`;
    },
    chooseSize(event) {
      const [width, height] = event.target.value.split("x").map(Number);
      event.target.value = "";
      if (height) this.change(() => ({ "shot.width": width, "shot.height": height }));
    },
    sizeValue(size) { return `${size.width}x${size.height}`; },
    sizeLabel(size) { return `${size.title}  ${size.width} × ${size.height}`; },
    keepSize(event) {
      const title = String(new FormData(event.target).get("title")).trim();
      const { width, height } = this.plan.shot;
      this.attempt(async () => {
        this.sizes = (await (await post(page.urls.sizes, { title, width, height })).json()).sizes;
        event.target.reset();
      });
    },
    get ownSizes() { return this.sizes.find((size) => size.aspect === "own sizes")?.sizes ?? []; },
    dropSize(size) {
      this.attempt(async () => {
        this.sizes = (await (await post(page.urls.sizes, { action: "drop", title: size.title })).json()).sizes;
      });
    },
    cameraOn(camera) { return this.plan.cameras.includes(camera); },
    setCamera(camera, { target: { checked } }) {
      this.change((plan) => ({ cameras: toggled(plan.cameras, camera, checked) }));
    },
    labelOn(label) { return this.plan.light_groups.labels.includes(label); },
    setLabel(label, { target: { checked } }) {
      this.change((plan) => ({ "light_groups.labels": toggled(plan.light_groups.labels, label, checked) }));
    },
    get choosingLabels() { return this.plan.light_groups.mode !== "all"; },
    labelOf(light) { return this.plan.light_labels[light.name] ?? light.label; },
    relabelled(light) { return light.name in this.plan.light_labels; },
    relabel(light, { target: { value } }) {
      this.change(({ light_labels }) => {
        const { [light.name]: _, ...others } = light_labels;
        return { light_labels: value.trim() === light.label ? others : { ...others, [light.name]: value.trim() } };
      });
    },

    // ---- Quality ----
    get timeText() {
      const time = this.answer.time;
      return time
        ? `${duration(time.perFrame)} a frame, ${duration(time.total)} for all`
        : "no frame of this scene was measured yet";
    },
    get basisText() {
      return this.answer.time ? `from ${this.answer.time.basis}` : "Have a small one rendered, or render a frame.";
    },
    measure() {
      const camera = this.plan.cameras[0] ?? this.scene.cameras.find(({ working }) => !working)?.name ?? "";
      const before = this.answer.time?.measured;
      this.measuring = true;
      return this.attempt(async () => {
        await post(page.urls.measure, { camera });
        for (let waited = 0; waited < MEASURE_FOR; waited += MEASURE_EVERY) {
          await new Promise((done) => setTimeout(done, MEASURE_EVERY));
          const { time } = await (await get(page.urls.measure)).json();
          if (time && time.measured !== before) break;
        }
        await this.refresh();
      }).finally(() => (this.measuring = false));
    },

    // ---- Limits of deep samples ----
    get limitsText() { return this.limiting ? "rendering…" : "Measure limits"; },
    get limitCamera() {
      return this.plan.cameras[0] ?? this.scene.cameras.find((camera) => !camera.working)?.name ?? "";
    },
    async readLimits() {
      const { limits } = await (
        await get(
          `${page.urls.limits}?${new URLSearchParams({ camera: this.limitCamera, error: String(this.limitError) })}`,
        )
      ).json();
      return limits;
    },
    measureLimits() {
      this.limiting = true;
      return this.attempt(async () => {
        const before = (await this.readLimits())?.task;
        await post(page.urls.limits, { camera: this.limitCamera });
        for (let waited = 0; waited < MEASURE_FOR; waited += MEASURE_EVERY) {
          await new Promise((done) => setTimeout(done, MEASURE_EVERY));
          const limits = await this.readLimits();
          if (limits && limits.task !== before) {
            this.showLimits(limits);
            break;
          }
        }
      }).finally(() => (this.limiting = false));
    },
    showLimits(limits) {
      this.limitCosts = limits?.costs ?? [];
      this.limitBest = limits?.best ?? null;
    },
    setLimitError(value) {
      this.limitError = value;
      this.attempt(async () => this.showLimits(await this.readLimits()));
    },
    takeLimits({ tolerance, most }) {
      this.put("deep.merge_distance", tolerance);
      this.put("deep.most_samples", most || MOST_SAMPLES);
    },
    isBestLimit(index) { return index === this.limitBest; },
    limitText({ tolerance, most }) {
      return most ? `most ${most}` : tolerance ? `within ${tolerance}` : "all samples";
    },
    limitLabel(cost) { return `Use ${this.limitText(cost)}`; },
    limitBytes({ bytes }) {
      return `${Math.round((100 * bytes) / Math.max(...this.limitCosts.map((cost) => cost.bytes)))} %`;
    },
    limitErrorText(error) {
      return error < 1e-6 ? "0" : error < 0.001 ? error.toExponential(0) : error.toPrecision(2);
    },

    // ---- Packing ----
    formatOf(use) { return this.formats.find((format) => format.key === this.plan.packing[use].format); },
    setFormat(use, { target: { value } }) {
      const form = this.formats.find((format) => format.key === value);
      const storage = this.plan.packing[use];
      const pixel = form.pixels.some((known) => known.key === storage.pixel) ? storage.pixel : form.pixels.at(-1).key;
      const same = form.compressions.some((known) => known.key === storage.compression);
      this.put(`packing.${use}`, {
        format: value,
        pixel,
        compression: same ? storage.compression : form.compressions[0].key,
      });
    },
    setStorage(use, leaf, { target: { value } }) {
      this.change((plan) => ({ [`packing.${use}`]: { ...plan.packing[use], [leaf]: value } }));
    },
    storageIs(use, leaf, value) { return this.plan.packing[use][leaf] === value; },
    compressionText(use) {
      return (
        this.formatOf(use).compressions.find((known) => known.key === this.plan.packing[use].compression)?.meaning ?? ""
      );
    },

    // ---- Findings ----
    get findings() { return this.answer.findings; },
    get sound() { return this.answer.findings.length === 0; },
    findingKey(finding) { return `${finding.code} ${finding.where} ${finding.what}`; },
    findingIcon(finding) {
      return { error: "bi-exclamation-octagon-fill", warning: "bi-exclamation-diamond", note: "bi-info-circle" }[
        finding.level
      ];
    },
    canFix(finding) { return this.mayChange && Object.keys(finding.fix).length > 0; },
    fix(finding) { return this.change(() => finding.fix); },
    alike(finding) { return this.findings.filter((other) => other.code === finding.code && this.canFix(other)); },
    // Offered once for each kind.
    canFixAll(finding) { return this.alike(finding).length > 1 && this.alike(finding)[0] === finding; },
    fixAllText(finding) { return `Fix all ${this.alike(finding).length}`; },
    // One after another, since each is a change of the plan as the one before has left it.
    async fixAll({ code }) {
      const tried = new Set();
      const next = () =>
        this.findings.find((other) => other.code === code && this.canFix(other) && !tried.has(this.findingKey(other)));
      for (let finding = next(); finding && !this.fault; finding = next()) {
        tried.add(this.findingKey(finding));
        await this.fix(finding);
      }
    },
    get together() { return this.answer.together; },
    get sceneFaultText() { return this.sceneFault ? `${this.sceneFault.what} ${this.sceneFault.where}` : ""; },
    get faultWhat() { return this.fault?.what ?? ""; },
    get faultWhere() { return this.fault?.where ?? ""; },
    get faultAdvice() { return this.fault?.advice ?? ""; },

    // ---- Versions and copies ----
    isLocked(number) { return this.versions.some((version) => version.number === number); },
    nextNumber() { return Math.max(kept.current.number, ...this.versions.map((version) => version.number)) + 1; },
    get locked() { return this.isLocked(this.plan.number); },
    get lockText() {
      return this.locked ? `${tag(this.plan.number)} is locked; a change makes ${tag(this.nextNumber())}` : "";
    },
    versionUp() { this.change(() => ({ number: this.nextNumber() })); },
    lock() {
      return this.attempt(async () => {
        await kept.now();
        this.versions = (await (await post(page.urls.lock, {})).json()).versions;
      });
    },
    versionText(version) { return `${tag(version.number)}, ${version.reason}`; },
    openVersion({ target: { value } }) { location.search = value ? `?version=${value}` : ""; },
    isViewed(version) { return this.viewing === version.number; },
    get viewingText() { return `This is ${tag(this.viewing ?? 0)} as it was kept; it cannot change.`; },
    copyTo(event) {
      const shot = event.target.value;
      event.target.value = "";
      if (!shot) return;
      this.attempt(async () => {
        const { number } = await (await post(page.urls.copy, { plan: this.plan, shot })).json();
        this.notice = `${shot} has this plan now, as ${tag(number)} with its own frames and size.`;
      });
    },

    // ---- Presets: what differs, here because the foot of the page shows it too ----
    get differences() { return this.answer.differences; },
    get changedText() {
      if (!this.plan.applied) return "";
      const state = this.differences.length ? "changed since" : "as in";
      const moved = this.answer.movedOn ? ", which has moved on since" : "";
      return `${state} the preset “${this.plan.applied.name}”${moved}`;
    },
    differenceTitle(difference) { return fieldTitle(difference.field); },
    putBack(difference) { this.put(difference.field, this.plan.applied.settings[difference.field]); },
    putAllBack() { this.change((plan) => plan.applied.settings); },
    applyPreset(name) {
      const preset = this.presets.find((each) => each.name === name);
      if (preset) this.change(() => preset.fields);
    },
    applyChosen({ target }) {
      this.applyPreset(target.value);
      target.value = "";
    },
    presetText(preset) { return `${preset.name}: ${preset.purpose}`; },

    // ---- In and out ----
    get exportUrl() { return this.viewing ? `${page.urls.export}?version=${this.viewing}` : page.urls.export; },
    async bringIn(event) {
      const plan = await this.readJson(event);
      if (plan) await this.replace(plan, false);
    },
    // A plan from a file takes the place of this one, as a new version; one of another shot only if that is wanted.
    replace(plan, takeOver) {
      return this.attempt(async () => {
        try {
          await kept.now();
          const { url } = await (await post(page.urls["bring-in"], { plan, takeOver })).json();
          location.assign(url);
        } catch (error) {
          if (error.code !== "plan.foreign") throw error;
          this.foreign = { plan, what: error.what, advice: error.advice };
        }
      });
    },
    takeOver() { return this.replace(this.foreign.plan, true); },
    leaveForeign() { this.foreign = null; },
    get foreignWhat() { return this.foreign?.what ?? ""; },
    get foreignAdvice() { return this.foreign?.advice ?? ""; },
    async readJson(event) {
      const [file] = event.target.files;
      event.target.value = "";
      if (!file) return null;
      try {
        return JSON.parse(await file.text());
      } catch {
        this.fault = {
          what: "This file is not JSON.",
          where: file.name,
          advice: "Choose a file that was exported here.",
        };
        return null;
      }
    },
    megabytes,
  };
};

const tag = (number) => `v${String(number).padStart(3, "0")}`;
const short = (number) => String(Number(number.toFixed(2)));
const millions = (pixels) => `${(pixels / 1e6).toFixed(2)} million pixels`;
