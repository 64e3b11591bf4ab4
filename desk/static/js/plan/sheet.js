// The sheet: passes down, layers (and, if wanted, their cameras) across.
import { byRef, nextTick, reactive } from "../reactive.js";
import { toggled } from "./fields.js";

const MOVES = {
  ArrowUp: [-1, 0],
  ArrowDown: [1, 0],
  ArrowLeft: [0, -1],
  ArrowRight: [0, 1],
  Home: [0, -1e4],
  End: [0, 1e4],
};

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 */
export const createSheet = (page, { editor }) => {
  const { catalogue, choices } = page;
  const blocks = choices.roles
    .map(({ role, title }) => ({ role, title, passes: catalogue.filter((entry) => entry.role === role) }))
    .filter((block) => block.passes.length);
  const byKey = new Map(catalogue.map((entry) => [entry.key, entry]));
  const inOrder = (passes) => catalogue.map((entry) => entry.key).filter((key) => passes.includes(key));

  const section = () => byRef("sheet");

  return reactive({
    blocks,
    visibilities: choices.visibilities,
    surroundings: choices.surroundings,
    overrides: choices.overrides,
    apart: page.plan.layers.some((layer) => Object.keys(layer.for_camera).length > 0),
    newLayer: "",

    setApart(apart) {
      this.apart = apart;
      nextTick(() => this.draw());
    },
    get layers() { return editor.plan.layers; },
    get manyCameras() { return editor.plan.cameras.length > 1; },
    get columns() {
      const cameras = this.apart && this.manyCameras ? editor.plan.cameras : [""];
      return editor.plan.layers.flatMap((layer) =>
        cameras.map((camera) => ({ key: `${layer.name} ${camera}`, layer, camera })),
      );
    },
    get camerasApart() { return this.apart && this.manyCameras; },
    get span() { return this.camerasApart ? editor.plan.cameras.length : 1; },

    // ---- Cells: drawn here rather than by the page's templates, which takes a tenth of the time for hundreds ----
    draw() {
      const columns = this.columns;
      const shape = columns.map((column) => column.key).join("/");
      for (const row of section().querySelectorAll("tr[data-pass]")) {
        const pass = byKey.get(row.dataset.pass);
        if (row.dataset.shape !== shape) {
          row.querySelectorAll("td.cell").forEach((cell) => cell.remove());
          row.lastElementChild.before(...columns.map((column) => this.newCell(column, pass)));
          row.dataset.shape = shape;
        }
        row.querySelectorAll("td.cell").forEach((cell, place) => this.fill(cell, columns[place], pass));
      }
      if (!section().querySelector('td.cell input[tabindex="0"]')) {
        const first = section().querySelector("td.cell input");
        if (first) first.tabIndex = 0;
      }
    },
    // Arrow keys move between the cells, Home and End along a row.
    move(event) {
      if (event.target.closest("td.cell") === null || !(event.key in MOVES)) return;
      event.preventDefault();
      const rows = [...section().querySelectorAll("tr[data-pass]")];
      const row = event.target.closest("tr");
      const cells = [...row.querySelectorAll("td.cell input")];
      const [down, along] = MOVES[event.key];
      const to = rows[Math.min(rows.length - 1, Math.max(0, rows.indexOf(row) + down))];
      const target = [...to.querySelectorAll("td.cell input")];
      const place = cells.indexOf(event.target) + along;
      this.focusCell(target[Math.min(target.length - 1, Math.max(0, place))]);
    },
    focusCell(box) {
      section().querySelectorAll('td.cell input[tabindex="0"]').forEach((each) => (each.tabIndex = -1));
      box.tabIndex = 0;
      box.focus();
      box.scrollIntoView({ block: "nearest", inline: "nearest" });
    },
    pixelOf(pass) {
      const titles = new Set(editor.answer.columns.map((column) => column.pixels[pass.key]).filter(Boolean));
      return [...titles].join(", ");
    },
    isKeptOut(layer, thing) { return layer.kept_out.includes(thing); },
    setKeptOut(layer, thing, { target: { checked } }) {
      editor.change((plan) => {
        const now = plan.layers.find((other) => other.name === layer.name);
        return { layers: changed(plan, layer, { kept_out: toggled(now.kept_out, thing, checked) }) };
      });
    },
    keptOutLabel(layer, thing) { return `${thing} excluded from layer ${layer.name}`; },
    newCell(column, pass) {
      const cell = Object.assign(document.createElement("td"), { className: "cell" });
      const box = Object.assign(document.createElement("input"), {
        type: "checkbox",
        className: "form-check-input m-0",
        disabled: !editor.mayChange,
      });
      box.tabIndex = -1; // one stop of Tab for the sheet; arrow keys move on
      box.setAttribute(
        "aria-label",
        `${pass.title} in layer ${column.layer.name}${column.camera ? `, camera ${column.camera}` : ""}`,
      );
      box.addEventListener("change", () => {
        const on = box.checked; // now: until its turn comes, an answer to an earlier change draws the box anew
        editor.change((plan) => switched(plan, [column], pass.key, on));
      });
      cell.append(box);
      return cell;
    },
    fill(cell, column, pass) {
      const [box] = cell.children;
      const on = camerasOf(editor.plan, column).map((camera) =>
        passesOf(editor.plan, column.layer, camera).includes(pass.key),
      );
      box.checked = on.every(Boolean);
      box.indeterminate = !box.checked && on.some(Boolean);
      const reason = this.sums(column)
        .map((sum) => sum.reasons[pass.key])
        .every(Boolean)
        ? this.sums(column)[0]?.reasons[pass.key]
        : "";
      cell.title = reason ? `All ${pass.blank} here: ${reason}.` : "";
      cell.classList.toggle("empty", Boolean(reason));
    },
    setRow(pass) {
      const whole = (plan) => plan.layers.map((layer) => ({ layer, camera: "" }));
      const on = whole(editor.plan).every((column) =>
        camerasOf(editor.plan, column).every((each) => passesOf(editor.plan, column.layer, each).includes(pass.key)),
      );
      editor.change((plan) => switched(plan, whole(plan), pass.key, !on));
    },
    rowLabel(pass) { return `Switch ${pass.title} in every layer`; },

    // ---- What sums to the beauty ----
    sums(column) {
      return editor.answer.columns.filter(
        (other) =>
          other.layer === column.layer.name && (!other.camera || !column.camera || other.camera === column.camera),
      );
    },
    sumText(column) {
      const ways = this.sums(column).map((sum) => sum.ways.join(", ") || "nothing");
      return [...new Set(ways)].join(" / ");
    },
    sumLacks(column) { return this.sums(column).some((sum) => sum.ways.length === 0); },
    sumHint(column) {
      const missing = [...new Set(this.sums(column).flatMap((sum) => sum.missing))];
      return missing.length
        ? `Components are not complete without ${missing.join(" · ")}`
        : "The components are complete";
    },

    // ---- Layers ----
    get onlyLayer() { return editor.plan.layers.length === 1; },
    addLayer() {
      const name = this.newLayer.trim();
      if (!name) return;
      editor.change((plan) => {
        const last = plan.layers.at(-1);
        return {
          layers: [
            ...plan.layers,
            {
              name,
              visibility: {},
              kept_out: [],
              override: null,
              passes: last.passes ?? plan.passes,
              for_camera: last.for_camera,
            },
          ],
        };
      });
      this.newLayer = "";
    },
    removeLayer(layer) {
      editor.change((plan) => ({ layers: plan.layers.filter((other) => other.name !== layer.name) }));
    },
    renameLayer(layer, { target: { value } }) {
      editor.change((plan) => ({ layers: changed(plan, layer, { name: value.trim() }) }));
    },
    layerLabel(layer) { return `Name of layer ${layer.name}`; },
    removeLabel(layer) { return `Remove layer ${layer.name}`; },
    visibility(layer, group) { return layer.visibility[group] ?? "visible"; },
    isVisibility(layer, group, look) { return this.visibility(layer, group) === look; },
    setVisibility(layer, group, { target: { value } }) {
      editor.change((plan) => {
        const { [group]: _, ...others } = plan.layers.find((other) => other.name === layer.name).visibility;
        return {
          layers: changed(plan, layer, { visibility: value === "visible" ? others : { ...others, [group]: value } }),
        };
      });
    },
    visibilityLabel(layer, group) { return `${group} in layer ${layer.name}`; },
    isOverride(layer, override) { return (layer.override ?? "") === override.key; },
    setOverride(layer, { target: { value } }) {
      editor.change((plan) => ({ layers: changed(plan, layer, { override: value || null }) }));
    },
    overrideLabel(layer) { return `Material override in layer ${layer.name}`; },
  });

  function switched(plan, columns, key, on) {
    let fields = { layers: plan.layers, passes: plan.passes };
    for (const { layer, camera } of columns) {
      const now = { ...plan, ...fields };
      const before = now.layers.find((other) => other.name === layer.name);
      const lists = (plan.cameras.length ? plan.cameras : [""]).map((place) => {
        const passes = passesOf(now, before, place);
        return [place, camera && camera !== place ? passes : inOrder(toggled(passes, key, on))];
      });
      const alike = lists.every(([, passes]) => String(passes) === String(lists[0][1]));
      if (!alike) fields = { ...fields, layers: changed(now, layer, { for_camera: Object.fromEntries(lists) }) };
      else if (plan.layers.length > 1)
        fields = { ...fields, layers: changed(now, layer, { passes: lists[0][1], for_camera: {} }) };
      else fields = { passes: lists[0][1], layers: changed(now, layer, { passes: null, for_camera: {} }) };
    }
    return fields;
  }
};

const camerasOf = (plan, column) => (column.camera ? [column.camera] : plan.cameras.length ? plan.cameras : [""]);
const passesOf = (plan, layer, camera) => layer.for_camera[camera] ?? layer.passes ?? plan.passes;
const changed = (plan, layer, fields) =>
  plan.layers.map((other) => (other.name === layer.name ? { ...other, ...fields } : other));
