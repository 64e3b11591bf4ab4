// The Finish station: the picture, the row of steps under it, and the numbers of the step that is open. The steps are
// part of the ledger, so they are saved, undone and versioned with it. All pixels are computed by the server.
import { pageData } from "../api.js";
import { createCurves } from "../rebuild/curves.js";
import { createEditor } from "../rebuild/editor.js";
import { createKeys } from "../rebuild/keys.js";
import { createSettings } from "../rebuild/settings.js";
import { createSources } from "../rebuild/sources.js";
import { createNumbers } from "../rebuild/target-numbers.js";
import { createViewer } from "../viewer/index.js";
import { createEdits } from "./edits.js";
import { createHandles } from "./handles.js";
import { createLinks } from "./links.js";
import { createPainting } from "./painting.js";
import { createPresets } from "./presets.js";
import { createShown } from "./shown.js";
import { createSteps } from "./steps.js";
import "../curve-field.js";
import "../key-field.js";

export default () => {
  const page = pageData();

  const { stage, parts: viewer } = createViewer(page, {
    subject: () => shown.subject,
    title: () => shown.title,
    frames: () => page.frames,
    extra: () => ({ ledgerId: page.ledgerId, ledger: editor.shown() }),
    probeKey: () => shown.probeKey,
    origins: () => shown.origins,
    otherSubject: (origin, key) => shown.otherSubject(origin, key),
    onFrame: () => steps.ask(),
    onRefresh: () => links.nameAddress(),
    ownKeys: (event) => {
      const step = steps.opened;
      return {
        1: () => shown.show("finished"),
        2: () => shown.show("rebuilt"),
        b: () => step && shown.split(step),
        e: () => step && editor.mayChange && settings.change(step, { enabled: !step.enabled }),
        .../** @type {Element} */ ((event.target).closest("canvas") &&
        step &&
        handles.hasPoint(step) &&
        editor.mayChange
          ? edits.pointKeys(event, step)
          : {}),
      };
    },
    history: { undo: () => editor.undo(), redo: () => editor.redo() },
  });
  const { notices, frames, looks, comparing, picture, probe, aim } = viewer;

  const sources = createSources(page);
  const editor = createEditor(page, {
    notices, frames, view: () => looks.viewName,
    onSlide: (more) => picture.askSliding(more),
    onChange: () => {
      if (steps.forgetRemoved()) aim.drop();
      shown.forgetRemoved();
      return picture.ask({});
    },
    onChanged: (asked) => {
      steps.ask(asked);
      asked.then(() => probe.ask());
    },
  });
  const steps = createSteps(page, {
    editor,
    onOpen: () => {
      shown.matteShown = false;
      aim.drop();
      if (shown.at.key) shown.at = { show: "finished", key: "" };
      handles.aimAtPoint();
      picture.refresh();
    },
  });
  const shown = createShown({ editor, steps, comparing, picture });
  const settings = createSettings(page, {
    editor,
    sources,
    frames,
    choose: (step, field, value) => edits.choose(step, field, value),
  });
  const keys = createKeys(page, { settings, frames, notices });
  const numbers = createNumbers({ settings, keys, frames });
  const curves = createCurves({
    settings,
    names: () => (steps.opened ? page.kinds.steps[steps.opened.kind].curves : []),
    own: (step) => step,
    changes: (step, changed) => changed,
  });
  const handles = createHandles(page, {
    editor,
    sources,
    settings,
    numbers,
    steps,
    frames,
    picture,
    stage,
    aim,
    notices,
  });
  const edits = createEdits(page, { editor, sources, settings, numbers, steps, handles, aim, notices });
  const painting = createPainting(page, { editor, settings, steps, stage, aim });
  const presets = createPresets(page, { editor, steps, notices });
  const links = createLinks(page, { editor, frames, steps });

  return {
    ...viewer, sources, editor, steps, shown, settings, keys, numbers, curves, handles, edits, painting, presets, links,

    init() {
      frames.showRibbon();
      picture.refresh();
      steps.ask();
      handles.aimAtPoint();
    },
  };
};
