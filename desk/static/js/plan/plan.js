// The Plan station: its sections, each a part that changes the plan through the editor.
import { pageData } from "../api.js";
import { nextTick } from "../reactive.js";
import { createNotices } from "../viewer/notices.js";
import { createApplied } from "./applied.js";
import { createEditor } from "./editor.js";
import { createExchange } from "./exchange.js";
import { createFindings } from "./findings.js";
import { createLights } from "./lights.js";
import { createLimits } from "./limits.js";
import { createMist } from "./mist.js";
import { createNames } from "./names.js";
import { createPacking } from "./packing.js";
import { createPresets } from "./presets.js";
import { createQuality } from "./quality.js";
import { createSections } from "./sections.js";
import { createSheet } from "./sheet.js";
import { createShot } from "./shot.js";
import { createTree } from "./tree.js";
import { createVersions } from "./versions.js";

export default () => {
  const page = pageData();
  const { sceneFault } = page;

  const notices = createNotices();
  const editor = createEditor(page, {
    notices,
    unlocked: (plan) => (versions.isLocked(plan.number) ? { ...plan, number: versions.nextNumber() } : plan),
    onAdopt: () => {
      tree.outdate();
      nextTick(() => sheet.draw());
      if (sections.is("mist")) mist.redraw();
    },
  });
  const versions = createVersions(page, { editor, notices });
  const applied = createApplied(page, { editor });
  const exchange = createExchange(page, { editor, versions, notices });
  const findings = createFindings({ editor, notices });

  const sheet = createSheet(page, { editor });
  const shot = createShot(page, { editor });
  const lights = createLights({ editor });
  const quality = createQuality(page, { editor });
  const mist = createMist(page, { editor });
  const limits = createLimits(page, { editor });
  const packing = createPacking(page, { editor });
  const names = createNames(page, { editor });
  const presets = createPresets(page, { editor, applied, exchange });
  const tree = createTree(page, { editor });
  const sections = createSections({
    editor, applied,
    onShow: (section) => {
      if (section === "mist") mist.load();
    },
  });

  return {
    notices, editor, versions, applied, exchange, findings, sections,
    sheet, shot, lights, quality, mist, limits, packing, names, presets, tree,
    sceneFault,
    sceneFaultText: sceneFault ? `${sceneFault.what} ${sceneFault.where}` : "",
    sceneUrl: page.urls.scene,

    init() {
      nextTick(() => sheet.draw());
      if (sections.is("mist")) mist.load();
    },
  };
};
