// What is wrong with the plan, and what mends it.
import { reactive } from "../reactive.js";

/** @typedef {ReturnType<typeof createFindings>} Findings */

/**
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 * @param {import("../viewer/notices.js").Notices} uses.notices
 */
export const createFindings = ({ editor, notices }) => reactive({
  get all() { return editor.answer.findings; },
  get sound() { return editor.answer.findings.length === 0; },
  key(finding) { return `${finding.code} ${finding.where} ${finding.what}`; },
  icon(finding) {
    return { error: "bi-exclamation-octagon-fill", warning: "bi-exclamation-diamond", note: "bi-info-circle" }[
      finding.severity
    ];
  },
  canFix(finding) { return editor.mayChange && Object.keys(finding.repair).length > 0; },
  fix(finding) { return editor.change(() => finding.repair); },
  alike(finding) { return this.all.filter((other) => other.code === finding.code && this.canFix(other)); },
  // Offered once for each kind.
  canFixAll(finding) { return this.alike(finding).length > 1 && this.alike(finding)[0] === finding; },
  fixAllText(finding) { return `Fix all ${this.alike(finding).length}`; },
  // One after another, since each is a change of the plan as the one before has left it.
  async fixAll({ code }) {
    const tried = new Set();
    const next = () =>
      this.all.find((other) => other.code === code && this.canFix(other) && !tried.has(this.key(other)));
    for (let finding = next(); finding && !notices.fault; finding = next()) {
      tried.add(this.key(finding));
      await this.fix(finding);
    }
  },
  get together() { return editor.answer.together; },
});
