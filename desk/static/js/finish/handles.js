// What a step has in the picture: its point, its ellipse, the focus that is taken from a press.
import { post } from "../api.js";
import { at, changedTo } from "../rebuild/time.js";

const GRIP = 14; // pixels on the screen within which a handle is meant
const ARM = 11;

export const handles = (page, shared) => {
  const middle = () => ({ x: page.width / 2, y: page.height / 2 });

  return {
    hasPoint(step) {
      const { handles: fields } = page.kinds.steps[step.kind];
      return Boolean(fields) && !step.follow && (step.kind !== "vignette" || step.form === "drawn");
    },
    pointOf(step) {
      const base = middle();
      return { x: base.x + at(step.x, this.frame), y: base.y + at(step.y, this.frame) };
    },
    // The point follows the pointer; a number that is keyed gets a key where it is moved.
    placePoint() {
      let changes = null;
      const to = ({ x, y }, step) => {
        const base = middle();
        const short = (value) => Number(value.toFixed(1));
        return { x: changedTo(step.x, this.frame, short(x - base.x)), y: changedTo(step.y, this.frame, short(y - base.y)) };
      };
      this.aim("point", "Drag the point, or press where it is to be; Alt moves the picture", {
        move: (place) => {
          changes = to(place, this.openedStep);
          this.slide(this.openedStep, changes);
        },
        release: (place) => {
          this.change(this.openedStep, changes ?? to(place, this.openedStep));
          changes = null;
        },
        draw: (pen) => this.drawPoint(pen),
      });
    },
    drawPoint(pen) {
      const document = shared.sliding ?? shared.ledgers.current;
      const step = document.finish.find(({ id }) => id === this.openedId);
      if (!step || !this.hasPoint(step)) return;
      const stage = this.theStage();
      const [left, top] = stage.onScreen(this.pointOf(step));
      const path = new Path2D();
      path.arc(left, top, GRIP / 2, 0, 2 * Math.PI);
      for (const [dx, dy] of [[1, 0], [-1, 0], [0, 1], [0, -1]]) {
        path.moveTo(left + (dx * GRIP) / 2, top + (dy * GRIP) / 2);
        path.lineTo(left + dx * (GRIP / 2 + ARM), top + dy * (GRIP / 2 + ARM));
      }
      if (step.kind === "vignette") {
        for (const share of [1, 1 - at(step.soft, this.frame)]) {
          const [wide, high] = ["width", "height"].map((side) => (at(step[side], this.frame) * page[side] * share) / 2);
          path.moveTo(left + wide * stage.across, top);
          path.ellipse(left, top, wide * stage.across, high * stage.zoom, 0, 0, 2 * Math.PI);
        }
      }
      for (const [strokeStyle, lineWidth] of [["#000a", 3.5], ["#fff", 1.5]]) {
        Object.assign(pen, { strokeStyle, lineWidth });
        pen.stroke(path);
      }
    },

    // ---- Focus, from a press on what is to be sharp ----
    hasFocus(step) { return step.kind === "defocus"; },
    pickFocus(step) {
      this.aimOnce("focus", "Press what is to be sharp", async ({ x, y }) => {
        const source = this.sourceOf({ source: step.depth });
        const asked = { ...this.asked(), subject: { kind: "pass", element: source.element, key: source.pass }, x, y, x1: x, y1: y };
        const [value] = (await (await post(page.urls.values, asked)).json()).values[0];
        if (Number.isFinite(value) && value > 0) this.setNumber(step, this.settingOf(step, "focus"), 0, Number(value.toPrecision(5)));
        else this.remark = "Nothing has a depth there.";
      });
    },
  };
};
