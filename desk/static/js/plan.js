// The Plan station: the sheet of passes and layers, the files it will produce, and what is wrong with it.
import { pageData, post } from "./api.js";
import { Kept } from "./kept.js";

const ROLES = [
  ["whole", "the rendered image"],
  ["light", "components: each adds light"],
  ["group", "light groups"],
  ["cover", "base colours"],
  ["scale", "passes on white: multiply"],
  ["identify", "identities"],
  ["measure", "data"],
];
const FIELD_NAMES = { light_groups: "light groups", passes: "passes", quality: "samples", packing: "packing", names: "names" };
const VISIBILITIES = ["visible", "hidden", "shadow-only", "holdout"];

export default () => {
  const page = pageData();
  let kept = null;
  let turns = Promise.resolve();

  return {
    plan: page.plan,
    answer: page.answer,
    groups: page.groups,
    labels: page.labels,
    cameras: page.cameras,
    mayChange: page.mayChange,
    presets: page.presets,
    exportUrl: page.urls.export,
    visibilities: VISIBILITIES,
    newLayer: "",
    canUndo: false,
    canRedo: false,
    fault: null,

    init() {
      kept = new Kept({
        document: page.plan,
        revision: page.revision,
        url: page.urls.save,
        field: "plan",
        say: (state) => this.say(state),
        onFault: (error) => (this.fault = error),
      });
      this.say(page.mayChange ? "saved" : "to look at only");
    },
    say(state) {
      const text = `plan v${String(this.plan.number).padStart(3, "0")} · ${state}`;
      window.dispatchEvent(new CustomEvent("eager:keeping", { detail: text }));
    },

    // A change is a function from the plan to the fields that become different. Changes wait for each other, so that
    // quick ones build on one another; each is first answered, and kept only if the plan is sound enough to be one.
    change(fieldsOf) {
      return this.inTurn(async () => {
        const plan = { ...kept.current, ...fieldsOf(kept.current) };
        this.answer = await this.ask(plan);
        kept.change(plan);
      });
    },
    undo() { this.inTurn(() => this.stepped(() => kept.undo())); },
    redo() { this.inTurn(() => this.stepped(() => kept.redo())); },
    async stepped(step) {
      step();
      this.answer = await this.ask(kept.current);
    },
    inTurn(work) {
      turns = turns.then(work).then(() => this.adopt(), (error) => (this.fault = error)); // what was typed stays
      return turns;
    },
    async ask(plan) { return (await post(page.urls.answer, { plan })).json(); },
    adopt() {
      this.plan = kept.current;
      this.canUndo = kept.canUndo;
      this.canRedo = kept.canRedo;
      this.fault = null;
    },

    // ---- Shot, names, packing ----
    shot(field, value) { this.change((plan) => ({ shot: { ...plan.shot, [field]: value } })); },
    shotNumber(field, event) {
      const value = Number(event.target.value);
      if (Number.isFinite(value) && event.target.value !== "") this.shot(field, value);
      else event.target.value = this.plan.shot[field];
    },
    names({ target: { value } }) { this.change(() => ({ names: value.trim() })); },
    packing({ target: { value } }) { this.change((plan) => ({ packing: { ...plan.packing, rule: value } })); },
    samples({ target: { value } }) { this.change(() => ({ quality: { samples_per_side: Number(value) } })); },
    versionUp() { this.change((plan) => ({ number: plan.number + 1 })); },
    get sizeText() {
      const { width, height, scale } = this.plan.shot;
      const full = `${width} × ${height}`;
      const written = `${this.answer.size[0]} × ${this.answer.size[1]}`;
      return scale === 1 && full === written ? full : `${written} written, full size ${full}`;
    },
    get framesText() { return `${this.answer.frames} frames`; },
    get samplesText() { return `${this.plan.quality.samples_per_side ** 2} samples a pixel`; },
    get exampleText() { return this.answer.files.length ? this.joined(this.answer.files[0]) : "no file yet"; },
    joined(file) { return file.folder ? `${file.folder}/${file.name}` : file.name; },

    // ---- Cameras and lights ----
    cameraOn(camera) { return this.plan.cameras.includes(camera); },
    setCamera(camera, { target: { checked } }) { this.change((plan) => ({ cameras: toggled(plan.cameras, camera, checked) })); },
    lightMode({ target: { value } }) { this.change((plan) => ({ light_groups: { ...plan.light_groups, mode: value } })); },
    labelOn(label) { return this.plan.light_groups.labels.includes(label); },
    setLabel(label, event) {
      const on = event.target.checked;
      this.change(({ light_groups }) => ({ light_groups: { ...light_groups, labels: toggled(light_groups.labels, label, on) } }));
    },
    get choosingLabels() { return this.plan.light_groups.mode !== "all"; },

    // ---- The sheet ----
    get layers() { return this.plan.layers; },
    get blocks() {
      return ROLES.map(([role, title]) => ({ role, title, passes: page.catalogue.filter((one) => one.role === role) }))
        .filter((block) => block.passes.length);
    },
    passesOf(layer) { return layer.passes ?? this.plan.passes; },
    passOn(layer, pass) { return this.passesOf(layer).includes(pass.key); },
    cellLabel(layer, pass) { return `${pass.title} in layer ${layer.name}`; },
    emptyPass(layer, pass) {
      const title = `${pass.title} would come out empty.`;
      return this.answer.findings.some((one) => one.code === "pass.pointless" && one.what === title && one.where === `layer ${layer.name}`);
    },
    setPass(layer, pass, event) {
      const on = event.target.checked;
      this.change((plan) => {
        const now = plan.layers.find((one) => one.name === layer.name);
        const passes = inOrder(toggled(now.passes ?? plan.passes, pass.key, on));
        return plan.layers.length === 1 ? { passes, layers: [{ ...now, passes: null }] } : { layers: changed(plan, layer, { passes }) };
      });
    },
    addLayer() {
      const name = this.newLayer.trim();
      if (!name) return;
      this.change((plan) => {
        const passes = plan.layers.at(-1).passes ?? plan.passes;
        return { layers: [...plan.layers, { name, visibility: {}, passes }] };
      });
      this.newLayer = "";
    },
    removeLayer(layer) { this.change((plan) => ({ layers: plan.layers.filter((one) => one.name !== layer.name) })); },
    get onlyLayer() { return this.plan.layers.length === 1; },
    visibility(layer, group) { return layer.visibility[group] ?? "visible"; },
    setVisibility(layer, group, event) {
      const value = event.target.value;
      this.change((plan) => {
        const { [group]: _, ...others } = plan.layers.find((one) => one.name === layer.name).visibility;
        const visibility = value === "visible" ? others : { ...others, [group]: value };
        return { layers: changed(plan, layer, { visibility }) };
      });
    },
    visibilityLabel(layer, group) { return `${group} in layer ${layer.name}`; },

    // ---- Files and findings ----
    get folders() {
      const folders = new Map();
      for (const file of this.answer.files) folders.set(file.folder, [...(folders.get(file.folder) ?? []), file]);
      return [...folders].map(([name, files]) => ({ name: name || "./", files }));
    },
    fileText(file) { return `× ${file.frames} · ${megabytes(file.bytes)}`; },
    fileHint(file) { return `${file.channels} channels: ${file.passes}`; },
    get totalText() { return `${this.answer.count} files, about ${megabytes(this.answer.bytes)}`; },
    get findings() { return this.answer.findings; },
    get sound() { return this.answer.findings.length === 0; },
    findingIcon(one) { return { error: "bi-exclamation-octagon-fill", warning: "bi-exclamation-diamond", note: "bi-info-circle" }[one.level]; },
    canMend(one) { return this.mayChange && Object.keys(one.fix).length > 0; },
    mend(one) { this.change(() => one.fix); },

    // ---- Presets ----
    presetText(one) { return `${one.name}: ${one.purpose}`; },
    applyPreset({ target }) {
      const preset = page.presets.find((one) => one.name === target.value);
      target.value = "";
      if (preset) this.change(() => ({ ...preset.settings, applied: { name: preset.name, settings: preset.settings } }));
    },
    get differences() { return this.answer.differences; },
    get changedText() {
      if (!this.plan.applied) return "";
      const state = this.differences.length ? "changed against" : "as in";
      return `${state} the preset “${this.plan.applied.name}”${this.answer.moved_on ? ", which has moved on since" : ""}`;
    },
    differenceText(one) { return FIELD_NAMES[one.field] ?? one.field; },
    putBack(one) { this.change((plan) => ({ [one.field]: plan.applied.settings[one.field] })); },
    putAllBack() { this.change((plan) => plan.applied.settings); },

    // ---- In and out ----
    async bringIn(event) {
      const [file] = event.target.files;
      event.target.value = "";
      if (!file) return;
      try {
        const plan = JSON.parse(await file.text());
        await this.change(() => plan);
      } catch {
        this.fault = { what: "This file is not JSON.", where: file.name, advice: "Choose a plan that was exported here." };
      }
    },
    key(event) {
      if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== "z") return;
      event.preventDefault();
      if (event.shiftKey && this.canRedo) this.redo();
      else if (!event.shiftKey && this.canUndo) this.undo();
    },
    get faultWhat() { return this.fault?.what ?? ""; },
    get faultWhere() { return this.fault?.where ?? ""; },
    get faultAdvice() { return this.fault?.advice ?? ""; },
  };

  function inOrder(passes) {
    return page.catalogue.map((one) => one.key).filter((key) => passes.includes(key));
  }
};

const changed = (plan, layer, fields) => plan.layers.map((one) => (one.name === layer.name ? { ...one, ...fields } : one));

const toggled = (list, item, on) => (on ? [...list.filter((one) => one !== item), item] : list.filter((one) => one !== item));

const megabytes = (bytes) => (bytes < 1e9 ? `${(bytes / 1e6).toFixed(1)} MB` : `${(bytes / 1e9).toFixed(2)} GB`);
