// The files a plan will produce, as folders that open and close. Only the rows in sight are on the page, so that
// thousands of sequences scroll as easily as ten.
import { get, post } from "../api.js";
import { byRef, reactive } from "../reactive.js";
import { megabytes } from "./fields.js";

const ROW = 22;
const SPARE = 8; // rows kept above and below those in sight
const AGAIN_AFTER = 1000;
const OPEN_UP_TO = 60; // sequences; more begin with closed folders

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 */
export const createTree = (page, { editor }) => {
  const box = byRef("rows");
  let known = null;
  let root = null;

  const tree = reactive({
    closed: {},
    top: 0,
    height: box.clientHeight,
    audit: page.audit,
    comparing: false,

    // What was found belongs to the plan it was found with.
    outdate() {
      if (this.audit) this.audit = { ...this.audit, isOfNow: false };
    },
    scrolled() { this.top = box.scrollTop; },
    get root() {
      if (known !== editor.answer) [known, root] = [editor.answer, treeOf(editor.answer)];
      return root;
    },
    get rows() { return flattened(this.root, (folder) => this.isOpen(folder)); },
    get window() {
      const first = Math.max(0, Math.floor(this.top / ROW) - SPARE);
      return this.rows
        .slice(first, first + Math.ceil(this.height / ROW) + 2 * SPARE)
        .map((row, place) => ({ ...row, y: (first + place) * ROW }));
    },
    get fullHeight() { return { height: `${this.rows.length * ROW}px` }; },
    rowStyle(row) { return { top: `${row.y}px`, "padding-left": `${row.depth * 11}px` }; },
    isOpen(folder) {
      return this.closed[folder.path] === undefined
        ? editor.answer.files.length <= OPEN_UP_TO || folder.depth === 0
        : !this.closed[folder.path];
    },
    fold(row) { if (row.folder) this.closed = { ...this.closed, [row.path]: this.isOpen(row) }; },
    foldIcon(row) {
      return row.folder ? (this.isOpen(row) ? "bi-chevron-down" : "bi-chevron-right") : "bi-file-earmark";
    },
    rowText(row) { return row.folder ? `${row.sequences} · ${megabytes(row.bytes)}` : megabytes(row.bytes); },
    rowHint(row) {
      return row.folder
        ? counted(row.sequences, "sequence")
        : `${row.name}: ${row.channels} channels, ${row.storage}: ${row.passes.join(", ")}`;
    },
    get totalText() {
      return `${editor.answer.count.toLocaleString("en")} files, about ${megabytes(editor.answer.bytes)}`;
    },
    get sequencesText() {
      return `${counted(editor.answer.files.length, "sequence")} of ${counted(editor.answer.frames, "frame")}`;
    },

    // ---- Compared with the folder on disk: every file read to its end, by a worker ----
    compare() {
      return editor.attempt(async () => {
        await editor.settled();
        this.audit = (await (await post(page.urls.audit, { plan: editor.plan })).json()).audit;
        await this.followAudit();
      });
    },
    async followAudit() {
      this.comparing = true;
      while (this.audit?.open) {
        await new Promise((done) => setTimeout(done, AGAIN_AFTER));
        await this.readAudit();
      }
      this.comparing = false;
    },
    readAudit() {
      return editor.attempt(async () => {
        await editor.settled();
        this.audit = (await (await get(page.urls.audit)).json()).audit;
      });
    },
    get auditText() {
      const { audit } = this;
      if (!audit) return "";
      if (audit.open) return audit.stalled || `read ${audit.done} of ${audit.whole} frames…`;
      if (audit.failed.length) return audit.failed[0];
      if (!audit.complete) return "not compared to the end";
      const when = `v${String(audit.number).padStart(3, "0")}, ${audit.made.slice(0, 16).replace("T", " ")}`;
      if (!audit.isOfNow) return `plan, scene or files have changed since it was compared (${when}); compare again`;
      return audit.count ? `${audit.count} not as planned (${when})` : `all as planned (${when})`;
    },
    get deviations() { return this.audit?.complete && this.audit.isOfNow ? this.audit.deviations : []; },
    deviationKey(deviation) { return `${deviation.code} ${deviation.where} ${deviation.what}`; },
    deviationText({ code, where, frames_text: frames, what, advice }) {
      return `${code}: ${where} ${frames} ${what} ${advice}`;
    },
  });

  new ResizeObserver(() => (tree.height = box.clientHeight)).observe(box);
  // Others may have written files while this page was out of sight.
  addEventListener("focus", () => tree.audit?.isOfNow && tree.readAudit());
  if (tree.audit?.open) tree.followAudit();
  return tree;
};

function treeOf(answer) {
  const root = { folder: true, name: "", path: "", depth: -1, children: new Map(), sequences: 0, bytes: 0 };
  for (const [path, place] of answer.files) {
    const group = answer.groups[place];
    const bytes = group.bytes * answer.frames;
    const steps = path.split("/");
    let here = root;
    add(here, bytes);
    for (const step of steps.slice(0, -1)) {
      if (!here.children.has(step)) {
        here.children.set(step, {
          folder: true,
          name: step,
          path: `${here.path}${step}/`,
          depth: here.depth + 1,
          children: new Map(),
          sequences: 0,
          bytes: 0,
        });
      }
      here = here.children.get(step);
      add(here, bytes);
    }
    here.children.set(`${path} ${place}`, {
      folder: false,
      name: steps.at(-1),
      path: `${path} ${place}`,
      depth: here.depth + 1,
      bytes,
      channels: group.channels,
      passes: group.passes,
      storage: group.storage,
    });
  }
  return root;
}

function add(folder, bytes) {
  folder.sequences += 1;
  folder.bytes += bytes;
}

function flattened(folder, isOpen, rows = []) {
  for (const child of folder.children.values()) {
    rows.push(child);
    if (child.folder && isOpen(child)) flattened(child, isOpen, rows);
  }
  return rows;
}

const counted = (number, what) => `${number} ${what}${number === 1 ? "" : "s"}`;
