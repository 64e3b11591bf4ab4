// The Rebuild station: the ledger left, the picture right. Numbers change here; all pixels are computed by the server.
import { pageData } from "../api.js";
import { createViewer } from "../viewer/index.js";
import { createAdding } from "./adding.js";
import { createBalance } from "./balance.js";
import { createCurves } from "./curves.js";
import { createDimmers } from "./dimmers.js";
import { createDragging } from "./dragging.js";
import { createDrawing } from "./drawing.js";
import { createEditor } from "./editor.js";
import { createFog } from "./fog.js";
import { createHistograms } from "./histograms.js";
import { createKeys } from "./keys.js";
import { createLinks } from "./links.js";
import { createMattes } from "./mattes.js";
import { createPanels } from "./panels.js";
import { createPartList } from "./part-list.js";
import { createPicking } from "./picking.js";
import { createRows } from "./rows.js";
import { createSettings } from "./settings.js";
import { createShares } from "./shares.js";
import { createShown } from "./shown.js";
import { createSources } from "./sources.js";
import { createStrokes } from "./strokes.js";
import { createSweep } from "./sweep.js";
import { createNumbers } from "./target-numbers.js";
import { createTemplates } from "./templates.js";
import { createTrims } from "./trims.js";
import { createWidth } from "./width.js";
import "../curve-field.js";
import "../key-field.js";
import "../range-field.js";

const CURVES = ["all", "red", "green", "blue"];

export default () => {
  const page = pageData();

  const { stage, parts: viewer } = createViewer(page, {
    subject: () => shown.subject,
    title: () => shown.title,
    frames: () => page.frames,
    extra: () => ({ ledgerId: page.ledgerId, ledger: editor.shown() }),
    probeKey: () => shown.probeKey,
    marks: () => ({ keys: rows.keyFrames, ...sweep.marks() }),
    data: () => (shown.source?.data ? shown.source : null),
    ground: () => (shown.isWay("checker") ? "checker" : ""),
    origins: () => shown.origins,
    otherSubject: (origin, key) => shown.otherSubject(origin, key),
    onFrame: () => {
      balance.ask();
      picking.readNames();
    },
    onRefresh: () => links.nameAddress(),
    ownKeys: () => ({
      1: () => shown.show("rebuilt"), 2: () => shown.show("rendered"), 3: () => balance.showDifference(),
      d: () => panels.toggle("dimmers"), m: () => mattes.toggle(), a: () => adding.toggle(),
    }),
    history: { undo: () => editor.undo(), redo: () => editor.redo() },
  });
  const { notices, frames, looks, picture, probe, aim } = viewer;

  const sources = createSources(page);
  const editor = createEditor(page, {
    notices, frames, view: () => looks.viewName,
    onSlide: (more) => picture.askSliding(more),
    onChange: () => {
      mattes.forgetRemoved();
      return shown.at.show === "matte" ? picture.askQuickly() : picture.ask({});
    },
    onChanged: (asked) => {
      sweep.forget();
      balance.ask(asked);
      asked.then(() => probe.ask());
    },
  });
  const settings = createSettings(page, {
    editor,
    sources,
    frames,
    choose: (row, field, value) => trims.choose(row, field, value),
  });
  const shown = createShown({
    editor, sources, settings,
    onChange: () => {
      looks.asSuits();
      picture.refresh();
    },
  });

  // The rows
  const dragging = createDragging({ editor });
  const rows = createRows(page, {
    editor, sources, settings, dragging, notices,
    onOpen: () => {
      frames.showRibbon();
      histograms.ask();
      links.nameAddress();
    },
    onAdd: () => histograms.ask(),
  });
  const adding = createAdding(page, { editor, sources, settings, rows });
  const trims = createTrims(page, { editor, sources, settings, rows, notices });
  const keys = createKeys(page, { settings, frames, notices });
  const numbers = createNumbers({ settings, keys, frames });
  const histograms = createHistograms(page, { editor, settings, opened: () => rows.opened });
  const curves = createCurves({
    settings,
    names: () => CURVES,
    own: (row) => row.curves,
    changes: (row, changed) => ({ curves: { ...row.curves, ...changed } }),
    bins: (row, name) => histograms.ofCurve(row, name),
  });
  const fog = createFog(page, { settings, numbers, frames, picture, aim, notices });

  // What they come to
  const shares = createShares(sources);
  const sweep = createSweep(page, { editor, frames, notices });
  const balance = createBalance(page, {
    editor,
    sources,
    frames,
    notices,
    shares,
    shown,
    picture,
    onAnswer: () => histograms.ask(),
  });

  // Mattes, and the lights by themselves
  const panels = createPanels((name) => {
    if (name === "mattes") mattes.leave();
  });
  const mattes = createMattes(page, {
    editor,
    sources,
    rows,
    settings,
    shown,
    panels,
    frames,
    aim,
    notices,
    onOpen: () => picking.readNames(),
  });
  const strokes = createStrokes({ mattes, settings, frames, stage, aim, tint: () => shown.tint });
  const drawing = createDrawing(page, { editor, mattes, strokes, settings, frames, stage, aim });
  const picking = createPicking(page, {
    editor,
    sources,
    mattes,
    strokes,
    settings,
    numbers,
    frames,
    probe,
    aim,
    notices,
  });
  const parts = createPartList(page, { editor, sources, mattes, drawing, picking, settings, aim });
  const dimmers = createDimmers(page, { editor, sources, shares, numbers, frames });

  const templates = createTemplates(page, { editor, frames, notices });
  const links = createLinks(page, { editor, frames, opened: () => rows.opened });
  const width = createWidth();

  return {
    ...viewer, sources, editor, settings, shown, dragging, rows, adding, trims, keys, numbers, histograms, curves, fog,
    shares, sweep, balance, panels, mattes, strokes, drawing, picking, parts, dimmers, templates, links, width,

    init() {
      sweep.forget();
      picture.refresh();
      balance.ask();
      if (rows.opened) rows.bringUp(rows.opened);
    },
  };
};
