// What a step has in the picture: its point, its ellipse, the focus that is taken from a press.
import { post } from "../api.js";
import { reactive } from "../reactive.js";
import { distance, drawHandle } from "../rebuild/shapes.js";
import { at, changedTo } from "../rebuild/time.js";
import { findStep } from "./chain.js";

const GRIP = 14; // pixels on the screen within which a handle is meant
const ARM = 11;

/** @typedef {ReturnType<typeof createHandles>} Handles */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("../rebuild/editor.js").Editor} uses.editor
 * @param {import("../rebuild/sources.js").Sources} uses.sources
 * @param {import("../rebuild/settings.js").Settings} uses.settings
 * @param {import("../rebuild/target-numbers.js").Numbers} uses.numbers
 * @param {import("./steps.js").Steps} uses.steps
 * @param {import("../viewer/frames.js").Frames} uses.frames
 * @param {import("../viewer/pictures.js").Picture} uses.picture
 * @param {import("../viewer/stage.js").Stage} uses.stage
 * @param {import("../viewer/aiming.js").Aim} uses.aim
 * @param {import("../viewer/notices.js").Notices} uses.notices
 */
export const createHandles = (
  page,
  { editor, sources, settings, numbers, steps, frames, picture, stage, aim, notices },
) => {
  const middle = () => ({ x: page.width / 2, y: page.height / 2 });

  return reactive({
    hasPoint(step) {
      const { handles: fields } = settings.kindOf(step);
      return Boolean(fields) && !step.follow && settings.isOffered(step, settings.settingOf(step, fields[0]));
    },
    pointOf(step) {
      const base = middle();
      return { x: base.x + at(step.x, frames.current), y: base.y + at(step.y, frames.current) };
    },
    radiiOf(step, [width, height]) {
      return [(at(step[width], frames.current) * page.width) / 2, (at(step[height], frames.current) * page.height) / 2];
    },
    // The ends of an ellipse, right of its point and below it.
    endsOf(step) {
      const { ellipse } = settings.kindOf(step);
      if (!ellipse) return [];
      const { x, y } = this.pointOf(step);
      const [wide, high] = this.radiiOf(step, ellipse);
      return [
        { side: ellipse[0], size: page.width, axis: "x", x: x + wide, y },
        { side: ellipse[1], size: page.height, axis: "y", x, y: y + high },
      ];
    },
    // A step that has a point is opened with that in the picture.
    aimAtPoint() {
      if (steps.opened && this.hasPoint(steps.opened) && editor.mayChange) this.placePoint();
    },
    // The point follows the pointer, or an end of its ellipse does; a number that is keyed gets a key where it is
    // moved.
    placePoint() {
      let changes = null;
      let grabbed = null; // an end of the ellipse
      const short = (value, digits) => Number(value.toFixed(digits));
      const keyed = (step, field, value) => ({ [field]: changedTo(step[field], frames.current, value) });
      const to = ({ x, y }, step) => {
        const base = grabbed ? this.pointOf(step) : middle();
        const away = { x: x - base.x, y: y - base.y };
        if (grabbed)
          return keyed(step, grabbed.side, short(Math.max(0.01, (2 * away[grabbed.axis]) / grabbed.size), 3));
        return { ...keyed(step, "x", short(away.x, 1)), ...keyed(step, "y", short(away.y, 1)) };
      };
      aim.start("point", "Drag the point, or press where it is to be; Alt moves the picture", {
        press: (place) => {
          grabbed = this.endsOf(steps.opened).find((end) => distance(stage, place, end) < GRIP);
        },
        move: (place) => {
          changes = to(place, steps.opened);
          settings.slide(steps.opened, changes);
        },
        release: (place) => {
          if (changes || !grabbed) settings.change(steps.opened, changes ?? to(place, steps.opened));
          changes = null;
        },
        draw: (pen) => this.drawPoint(pen),
      });
    },
    drawPoint(pen) {
      const found = findStep(editor.shown(), steps.openedId);
      const step = found && { ...found, at: { step: found.id } };
      if (!step || !this.hasPoint(step)) return;
      const [left, top] = stage.onScreen(this.pointOf(step));
      const path = new Path2D();
      path.arc(left, top, GRIP / 2, 0, 2 * Math.PI);
      for (const [dx, dy] of [
        [1, 0],
        [-1, 0],
        [0, 1],
        [0, -1],
      ]) {
        path.moveTo(left + (dx * GRIP) / 2, top + (dy * GRIP) / 2);
        path.lineTo(left + dx * (GRIP / 2 + ARM), top + dy * (GRIP / 2 + ARM));
      }
      const { ellipse } = settings.kindOf(step);
      for (const share of ellipse ? [1, 1 - at(step[ellipse[2]], frames.current)] : []) {
        const [wide, high] = this.radiiOf(step, ellipse).map((radius) => radius * share);
        path.moveTo(left + wide * stage.across, top);
        path.ellipse(left, top, wide * stage.across, high * stage.zoom, 0, 0, 2 * Math.PI);
      }
      for (const [strokeStyle, lineWidth] of [
        ["#000a", 3.5],
        ["#fff", 1.5],
      ]) {
        Object.assign(pen, { strokeStyle, lineWidth });
        pen.stroke(path);
      }
      this.endsOf(step).forEach((end) => drawHandle(pen, stage.onScreen(end)));
    },

    // ---- Focus, from a press on what is to be sharp ----
    hasFocus(step) {
      return settings.kindOf(step).focusBy !== null;
    },
    pickFocus(step) {
      const [focus, depth] = settings.kindOf(step).focusBy;
      aim.once("focus", "Press what is to be sharp", async ({ x, y }) => {
        const source = sources.of({ source: step[depth] });
        const asked = {
          ...picture.asked(),
          subject: { kind: "pass", element: source.element, key: source.pass },
          x,
          y,
          x1: x,
          y1: y,
        };
        const [value] = (await (await post(page.urls.values, asked)).json()).values[0];
        if (Number.isFinite(value) && value > 0)
          numbers.set(step, settings.settingOf(step, focus), 0, Number(value.toPrecision(5)));
        else notices.remark = "Nothing has a depth there.";
      });
    },
  });
};
