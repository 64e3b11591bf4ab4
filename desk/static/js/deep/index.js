// The bench of what is ordered by depth: its elements, the picture, the section of a pixel, and all samples in space.
// The group is a row of a ledger; it changes here, and goes into the ledger when asked. All pixels are computed by the
// server.
import { pageData } from "../api.js";
import { createViewer } from "../viewer/index.js";
import { createCloud } from "./cloud.js";
import { createEditor } from "./editor.js";
import { createGroup } from "./group.js";
import { createInside } from "./inside.js";
import { createLimits } from "./limits.js";
import { createSection } from "./section.js";
import { createShown } from "./shown.js";

export default () => {
  const page = pageData();

  const { stage, parts: viewer } = createViewer(page, {
    subject: () => shown.subject,
    title: () => shown.title,
    frames: () => page.frames,
    extra: () => ({ ledgerId: page.ledgerId, ledger: editor.shown(), row: page.row }),
    probeKey: () => shown.probeKey,
    data: () => shown.data,
    origins: () => shown.origins,
    otherSubject: (_, key) => ({ kind: "depth", show: key }),
    onFrame: () => inside.look(),
    onRefresh: () => links.nameAddress(),
    onPoint: (pixel) => section.follow(pixel),
    ownKeys: (event) => {
      if (/** @type {Element} */ (event.target).closest("canvas, button, body") === null) return {};
      return {
        1: () => shown.showAs("seen"),
        2: () => shown.showAs("flat"),
        3: () => shown.showAs("difference"),
        4: () => shown.showAs("samples"),
        ArrowLeft: () => section.stepPixel(-1, 0),
        ArrowRight: () => section.stepPixel(1, 0),
        ArrowUp: () => section.stepPixel(0, -1),
        ArrowDown: () => section.stepPixel(0, 1),
        d: () => group.pickDepth(),
      };
    },
    history: { undo: () => editor.undo(), redo: () => editor.redo() },
  });
  const { notices, frames, picture, probe, aim } = viewer;

  const shown = createShown(() => picture.refresh());
  const editor = createEditor(page, {
    notices,
    asked: () => picture.asked(),
    onSlide: () => {
      picture.askSliding();
      section.draw();
    },
    onChange: () => {
      picture.ask({});
      probe.ask();
      inside.look();
    },
  });
  const inside = createInside(page, { picture, notices, onLook: () => section.ask(), onRest: () => cloud.ask() });
  const group = createGroup(page, { editor, inside, frames, picture, aim, notices, onChoose: () => section.draw() });
  const section = createSection(page, { editor, group, inside, frames, picture, probe, stage, aim });
  const cloud = createCloud(page, { picture });
  const limits = createLimits(page, { picture, notices });
  const links = {
    get rebuild() { return `${page.urls.rebuild}?frame=${frames.current}&row=${encodeURIComponent(page.row)}`; },
    nameAddress() {
      window.history.replaceState(null, "", `?${new URLSearchParams({ frame: frames.current, row: page.row })}`);
    },
  };

  return {
    ...viewer, shown, editor, inside, group, section, cloud, limits, links,

    init() {
      frames.showRibbon();
      picture.refresh();
      inside.look();
    },
  };
};
