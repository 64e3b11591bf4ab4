// Four steps for who is here for the first time, each pointing at the thing it tells of. They go on from page to page:
// a step whose thing is not on this page waits for one that has it.
import { ofFault, post } from "./api.js";

const STEPS = [
  { at: ".shot-row", title: "Work is done in shots", text: "Open one to go on." },
  {
    at: ".strip ol",
    title: "Six stations",
    text: "From the plan to the hand-off, in the order of the work. The mark beside each says how far it is.",
  },
  {
    at: "num-field[label^='Amount of'] input, num-field[label='viewer exposure in stops'] input",
    title: "Numbers are dragged",
    text: "Pull one sideways and the picture follows; double-click puts it back. Ctrl+Z undoes; all saves by itself.",
  },
  { at: ".strip [aria-label='Keys']", title: "Keys and the guide", text: "Here or by the key ?; this tour too." },
];
const KEY = "tour"; // of the session: the step that comes next
const PATIENCE = 6000; // milliseconds for a page to show what a step points at
const LOOK_EVERY = 200;
const APART = 12; // pixels from what it points at

export function watchTour() {
  window.addEventListener("eager:tour", () => setTimeout(again)); // once the sheet that asks for it is closed
  if (document.body.dataset.tour === "first" || sessionStorage.getItem(KEY)) wait(next(), performance.now());
}

const next = () => Number(sessionStorage.getItem(KEY) ?? 0);
const shown = (step) => /** @type {HTMLElement} */ (
  [...document.querySelectorAll(STEPS[step].at)].find((found) => found.getClientRects().length)
);

// Pages fill while they load. What does not come belongs to another page.
function wait(step, since) {
  if (step >= STEPS.length) end();
  else if (shown(step)) show(step);
  else if (performance.now() - since < PATIENCE) setTimeout(() => wait(step, since), LOOK_EVERY);
  else goOn(step);
}

// To the next step that this page has something for; the others wait for another page. Every page has the last one,
// which therefore comes only after the others.
function goOn(from) {
  close();
  if (from >= STEPS.length) return end();
  sessionStorage.setItem(KEY, String(from));
  const last = STEPS.length - 1;
  const here = STEPS.findIndex((_, step) => step >= from && (step < last || from === last) && shown(step));
  if (here >= 0) show(here);
}

// Asked for: where nothing of it is, it begins with the list of shots; where that is empty, only the last step is left.
function again() {
  goOn(0);
  const shots = document.querySelector(".strip-shot").getAttribute("href");
  if (document.querySelector(".tour")) return;
  if (location.pathname === shots) show(STEPS.length - 1);
  else location.assign(shots);
}

function show(step) {
  close();
  sessionStorage.setItem(KEY, String(step));
  const target = shown(step);
  target.classList.add("toured");
  // Whoever presses what is pointed at has understood: the page that it leads to goes on.
  target.addEventListener("click", () => sessionStorage.setItem(KEY, String(step + 1)), { once: true });
  const { title, text } = STEPS[step];
  const card = document.createElement("aside");
  card.className = "tour";
  card.tabIndex = -1;
  card.setAttribute("aria-label", `Tour, step ${step + 1} of ${STEPS.length}`);
  card.append(
    line("h2", title),
    line("p", text),
    line("span", `${step + 1} of ${STEPS.length}`),
    button("Skip", "btn btn-plain", end),
    button(step + 1 < STEPS.length ? "Next" : "Done", "btn btn-main", () => goOn(step + 1)),
  );
  card.addEventListener("keydown", (event) => {
    if (event.key === "Escape") end();
    if (event.key === "ArrowRight") goOn(step + 1);
    event.stopPropagation();
  });
  document.body.append(card);
  place(card, target.getBoundingClientRect());
  card.focus({ preventScroll: true });
}

function line(tag, text) {
  const made = document.createElement(tag);
  made.textContent = text;
  return made;
}

function button(text, style, press) {
  const made = document.createElement("button");
  Object.assign(made, { type: "button", className: style, textContent: text });
  made.addEventListener("click", press);
  return made;
}

// Below what it points at, or above where there is no room, within the window.
function place(card, box) {
  const { width, height } = card.getBoundingClientRect();
  const below = Math.min(box.bottom, innerHeight - height) + APART;
  const top = below + height < innerHeight ? below : box.top - height - APART;
  card.style.top = `${Math.max(APART, Math.min(top, innerHeight - height - APART))}px`;
  card.style.left = `${Math.max(APART, Math.min(box.left, innerWidth - width - APART))}px`;
}

function close() {
  document.querySelector(".tour")?.remove();
  document.querySelector(".toured")?.classList.remove("toured");
}

function end() {
  close();
  sessionStorage.removeItem(KEY);
  // What cannot be told now is told another time: the tour begins again.
  if (document.body.dataset.tour === "first") post(document.body.dataset.tourUrl, {}).catch(ofFault);
  document.body.dataset.tour = "later";
}
