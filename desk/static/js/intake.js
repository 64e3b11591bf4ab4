// The Intake station: an inventory of what lies on disk, what it was taken for, and what is wrong with it.
import { get, ofFault, pageData, post } from "./api.js";
import { upload } from "./upload.js";

const EVERY = 1500;
const ICONS = { error: "bi-x-octagon-fill", warning: "bi-exclamation-triangle-fill", note: "bi-info-circle" };

export default () => {
  const page = pageData();
  let stopping = null;
  return {
    state: page.state,
    mayChange: page.mayChange,
    choices: page.passes,
    shots: page.shots,
    chosen: Number(page.element) || page.state.elements[0]?.id || 0,
    only: "", // key of the pass whose findings alone are shown
    browser: null,
    name: "",
    accepting: "",
    dropping: false,
    sending: null,
    reason: "",
    edging: "", // key of the pass whose edge is shown
    naming: "", // key of the pass that is being given another meaning
    fault: null,

    init() { this.poll(); },
    async poll() {
      for (;;) {
        await new Promise((done) => setTimeout(done, EVERY));
        if (document.hidden || !this.state.busy) continue;
        await this.guarded(async () => (this.state = await (await get(page.urls.state)).json()), true);
      }
    },
    async guarded(work, keepsFault = false) {
      try {
        await work();
        if (!keepsFault) this.fault = null;
      } catch (error) {
        this.fault = ofFault(error);
      }
    },
    act(action, body) {
      return this.guarded(async () => (this.state = await (await post(page.urls.act, { action, ...body })).json()));
    },

    // ---- Elements ----
    get elements() { return this.state.elements; },
    get element() { return this.elements.find((element) => element.id === this.chosen) ?? this.elements[0]; },
    get shownName() { return this.element?.name ?? ""; },
    choose(element) {
      this.chosen = element.id;
      this.only = "";
      const url = new URL(window.location.href);
      url.searchParams.set("element", element.id);
      window.history.replaceState(null, "", url);
    },
    isChosen(element) { return element.id === this.element?.id; },
    framesText(element) {
      return element.still ? "still" : `${element.frames} · ${element.count} frame${element.count === 1 ? "" : "s"}`;
    },
    readingText(element) {
      if (element.reading) return `reading, ${element.reading} frame${element.reading === 1 ? "" : "s"} to go`;
      if (element.checked < element.whole)
        return `${element.checked} of ${element.whole} frame${element.whole === 1 ? "" : "s"} read`;
      const left = element.findings.filter((finding) => !finding.accepted).length;
      return left ? `all frames read, ${left} to look at` : "all frames read, nothing found";
    },
    worst(element) {
      const open = element.findings.filter((finding) => !finding.accepted);
      return ["error", "warning"].find((severity) => open.some((finding) => finding.severity === severity)) ?? "";
    },
    worstIcon(element) {
      return ICONS[this.worst(element)] ?? (element.checked < element.whole ? "bi-hourglass-split" : "bi-check-circle");
    },
    worstClass(element) { return `severity-${this.worst(element) || "none"}`; },

    // ---- Sequences: their frames against the shot's range ----
    get low() {
      return Math.min(this.state.first, ...this.element.sequences.flatMap((s) => s.runs.map((run) => run[0])));
    },
    get high() {
      return Math.max(this.state.last, ...this.element.sequences.flatMap((s) => s.runs.map((run) => run[1])));
    },
    barStyle(run) {
      const whole = this.high - this.low + 1;
      return { left: `${((run[0] - this.low) / whole) * 100}%`, width: `${((run[1] - run[0] + 1) / whole) * 100}%` };
    },
    get rangeStyle() { return this.barStyle([this.state.first, this.state.last]); },
    rangeText(sequence) { return sequence.still ? "still, shown on every frame" : sequence.frames; },
    gapText(sequence) { return sequence.gaps ? `gap: ${sequence.gaps}` : ""; },
    holdsText(sequence) { return `${sequence.passes} pass${sequence.passes === 1 ? "" : "es"}`; },

    // ---- Passes ----
    get passes() { return this.element?.passes ?? []; },
    thumb(pass) {
      const url = page.urls.thumb.replace("/0/", `/${this.element.id}/`);
      const as = `${pass.state}${pass.curve}${pass.primaries}`;
      return `${url}?pass=${encodeURIComponent(pass.key)}&frame=${pass.frame}&as=${as}`;
    },
    lookUrl(pass, frame = pass.frame) {
      return `${page.urls.look}?${new URLSearchParams({ element: this.element.id, pass: pass.key, frame })}`;
    },
    findingUrl(finding) {
      const pass = this.passes.find((one) => one.key === finding.key) ?? this.passes[0];
      return pass ? this.lookUrl(pass, finding.frames[0] ?? pass.frame) : page.urls.look;
    },
    thumbAlt(pass) { return `${pass.title}, frame ${pass.frame}`; },
    sureText(pass) { return pass.certainty >= 100 ? pass.reason : `${pass.reason}, ${pass.certainty} % sure`; },
    countOf(pass) { return this.open.filter((finding) => finding.key === pass.key).length; },
    countText(pass) { return `${this.countOf(pass)} to look at`; },
    narrow(pass) { this.only = this.only === pass.key ? "" : pass.key; },
    passClass(pass) { return { narrowed: this.only === pass.key, excluded: pass.excluded }; },
    // Of files of the plan nothing is to be asked, unless the header says other primaries than the shot's.
    canChoosePrimaries(pass) {
      const isOther = this.element.findings.some(({ key, kind }) => key === pass.key && kind === "colour");
      return pass.isLight && (isOther || !this.element.planned || pass.primaries !== "header");
    },
    setPrimaries(pass, primaries) { this.act("choose", { element: this.element.id, pass: pass.key, primaries }); },
    canChooseAlpha(pass) { return this.mayChange && pass.state !== "none"; },
    setState(pass, state) { this.act("choose", { element: this.element.id, pass: pass.key, state }); },
    isEdging(pass) { return this.edging === pass.key; },
    edgeIt(pass) { this.edging = this.edging === pass.key ? "" : pass.key; },
    edgeUrl(pass, state) {
      const url = page.urls.edge.replace("/0/", `/${this.element.id}/`);
      return `${url}?${new URLSearchParams({ pass: pass.key, frame: pass.frame, state })}`;
    },
    seenText(pass) {
      return pass.seen ? `The pixels look ${pass.seen.state}: ${pass.seen.reasons}.` : "Its pixels are not read yet.";
    },
    // Two claim one pass: the one that is read from now is left out, so that this one takes its place.
    winnerOf(pass) { return this.passes.find((one) => !one.excluded && one.title === pass.title); },
    canUse(pass) {
      return (
        this.mayChange && pass.excluded && Boolean(this.winnerOf(pass)) && this.winnerOf(pass).pattern !== pass.pattern
      );
    },
    useInstead(pass) { this.act("rule", { pattern: this.winnerOf(pass).pattern, does: "ignore", target: "" }); },
    isNaming(pass) { return this.naming === pass.key; },
    nameIt(pass) { this.naming = this.naming === pass.key ? "" : pass.key; },
    likely(pass) { return this.choices.filter((choice) => pass.others.includes(choice.key)); },
    async rename(pass, event) {
      const value = event.target.value;
      event.target.value = "";
      if (!value) return;
      this.naming = "";
      if (value === "ignore") await this.act("rule", { pattern: pass.pattern, does: "ignore", target: "" });
      else if (value === "light") await this.asLight(pass);
      else await this.act("rule", { pattern: pass.pattern, does: "pass", target: value });
    },
    async asLight(pass) {
      const label = window.prompt("What is this light called?", pass.name.toLowerCase().replace(/[^a-z0-9]+/g, "_"));
      if (label) await this.act("rule", { pattern: pass.pattern, does: "light", target: label });
    },

    // ---- Findings ----
    get open() { return (this.element?.findings ?? []).filter((finding) => !finding.accepted); },
    get shownFindings() {
      const all = this.element?.findings ?? [];
      return this.only ? all.filter((finding) => finding.key === this.only) : all;
    },
    get nothingText() {
      if (this.only) return "Nothing was found in this pass.";
      if (!this.element) return "";
      return this.element.checked < this.element.whole
        ? "Not all frames are read yet; nothing was found so far."
        : "Every frame was read to its last pixel, and nothing was found.";
    },
    icon(finding) { return finding.accepted ? "bi-check2" : ICONS[finding.severity]; },
    findingClass(finding) { return { [`severity-${finding.severity}`]: true, accepted: finding.accepted }; },
    framesOf(finding) { return finding.frames_text ? `frames ${finding.frames_text}` : ""; },
    whereText(finding) { return finding.place ? `at ${finding.place[0]}, ${finding.place[1]}` : ""; },
    acceptedText(finding) { return `accepted by ${finding.by}: ${finding.accepted}`; },
    doText({ repair }) {
      if (repair.fit) return "Scale it";
      if (repair.curve) return "Turn it linear";
      return repair.state ? `Read as ${repair.state}` : "";
    },
    canDo(finding) { return this.mayChange && !finding.accepted && this.doText(finding) !== ""; },
    doIt({ key, repair }) { this.act("choose", { element: this.element.id, pass: key, ...repair }); },
    isAccepting(finding) { return this.accepting === finding.mark; },
    beginAccepting(finding) {
      this.accepting = finding.mark;
      this.reason = "";
    },
    setReason(value) { this.reason = value; },
    async accept(finding) {
      await this.act("accept", { element: this.element.id, mark: finding.mark, reason: this.reason });
      if (!this.fault) this.accepting = "";
    },
    reopen(finding) { this.act("reopen", { element: this.element.id, mark: finding.mark }); },
    canAccept(finding) { return this.mayChange && !finding.accepted && !this.isAccepting(finding); },

    // ---- Places, rules ----
    get places() { return this.state.places; },
    get hasPlaces() { return this.state.places.length > 0; },
    get rules() { return this.state.rules; },
    get hasRules() { return this.state.rules.length > 0; },
    get hasShots() { return this.shots.length > 0; },
    placeText(place) {
      if (place.looking) return "looking…";
      if (place.report.gone) return place.report.gone.what;
      const faults = place.report.faults?.length ?? 0;
      const parts = [`${place.elements} element${place.elements === 1 ? "" : "s"}`];
      if (faults) parts.push(`${faults} cannot be read`);
      if (place.report.ignored?.length) parts.push(`${place.report.ignored.length} excluded by rules`);
      return parts.join(", ");
    },
    faultsOf(place) { return place.report.faults ?? []; },
    faultText(fault) { return `${fault.sequence}: ${fault.what}`; },
    setAside(fault) { this.act("set-aside", { file: fault.where }); },
    look(place) { this.act("look", { place: place.id }); },
    check() { this.act("check", { element: this.element.id }); },
    remove() { this.act("remove", { element: this.element.id }); },
    forget(place) { this.act("forget", { place: place.id }); },
    unrule(rule) { this.act("unrule", { rule: rule.id }); },
    takeOver(event) {
      const shot = Number(event.target.value);
      event.target.value = "";
      if (shot) this.act("take-over", { shot });
    },
    shotText(shot) { return `${shot.code}, ${shot.rules} rule${shot.rules === 1 ? "" : "s"}`; },

    // ---- Sending files ----
    dragOver(event) { this.dropping = this.mayChange && event.dataTransfer.types.includes("Files"); },
    dragLeave() { this.dropping = false; },
    async drop(event) {
      this.dropping = false;
      await this.sendFiles([...event.dataTransfer.files]);
    },
    async pick(event) {
      const files = [...event.target.files];
      event.target.value = "";
      await this.sendFiles(files);
    },
    async sendFiles(files) {
      if (!files.length || !this.mayChange || this.sending) return;
      const folder = new Date().toISOString().slice(0, 19).replaceAll(":", "");
      stopping = new AbortController();
      this.sending = { done: 0, whole: 1, name: "", faults: [] };
      await this.guarded(async () => {
        const place = await upload({
          files,
          folder,
          urls: page.urls,
          signal: stopping.signal,
          onProgress: (state) => (this.sending = { ...this.sending, ...state }),
        });
        if (place) this.state = await (await post(page.urls.bring, { folder: place, name: "" })).json();
      });
      const { faults } = this.sending;
      if (faults.length && !this.fault) {
        this.fault = {
          what: `${faults.length} of ${files.length} files were not kept.`,
          where: faults.slice(0, 5).join("; "),
          advice: "",
        };
      }
      this.sending = null;
    },
    stopSending() { stopping?.abort(); },
    get isSending() { return this.sending !== null; },
    get sentShare() { return this.sending ? this.sending.done / this.sending.whole : 0; },
    get sentText() {
      return this.sending ? `${this.sending.name || "beginning"} · ${Math.floor(this.sentShare * 100)} %` : "";
    },

    // ---- Bringing in ----
    async browse(at = "") {
      await this.guarded(async () => {
        this.browser = await (await get(`${page.urls.folders}?at=${encodeURIComponent(at)}`)).json();
      });
      await this.$nextTick();
      const dialog = /** @type {HTMLDialogElement} */ (document.getElementById("intake-browser"));
      if (this.browser && !dialog.open) dialog.showModal();
    },
    openBrowser() { this.browse(); },
    into(folder) { this.browse(folder.path); },
    up() { this.browse(this.browser.above); },
    get browserFolders() { return this.browser?.folders ?? []; },
    get browserShown() { return this.browser?.shown ?? ""; },
    get hasAbove() { return Boolean(this.browser?.above); },
    get browserText() {
      if (!this.browser) return "";
      return this.browser.pictures
        ? `${this.browser.pictures} pictures lie here`
        : "No pictures lie in this folder itself; those below it are imported too.";
    },
    folderText(folder) {
      const parts = [];
      if (folder.pictures) parts.push(`${folder.pictures} picture${folder.pictures === 1 ? "" : "s"}`);
      if (folder.folders) parts.push(`${folder.folders} folder${folder.folders === 1 ? "" : "s"}`);
      return parts.join(", ") || "empty";
    },
    isKnown(folder) { return this.browser.known.includes(folder.path); },
    setName(value) { this.name = value; },
    async bring() {
      await this.guarded(async () => {
        this.state = await (await post(page.urls.bring, { folder: this.browser.folder, name: this.name })).json();
        this.name = "";
      });
      /** @type {HTMLDialogElement} */ (document.getElementById("intake-browser")).close();
    },
    get faultWhat() { return this.fault?.what ?? ""; },
    get faultWhere() { return this.fault?.where ?? ""; },
    get faultAdvice() { return this.fault?.advice ?? ""; },
    get rebuildUrl() { return page.urls.rebuild; },
  };
};
