// The viewer of every station: any subject of a frame, how it is looked at, what it is compared with, the numbers
// behind it. Its parts are objects of their own; a page puts them beside its own parts, and tells the viewer what to
// show.
import "../num-field.js";
import { byRef } from "../reactive.js";
import { createAim } from "./aiming.js";
import { createComparing } from "./comparing.js";
import { createFrames } from "./frames.js";
import { createKeyboard } from "./keyboard.js";
import { createLooks } from "./looking.js";
import { createNotices } from "./notices.js";
import { createPicture } from "./pictures.js";
import { createPlayer } from "./playing.js";
import { createProbe } from "./probing.js";
import { createScopes } from "./scopes.js";
import { Stage } from "./stage.js";

/**
 * @typedef {object} Station what a page tells the viewer
 * @property {() => any} subject what is shown, as the server knows it; null if nothing
 * @property {() => string} title
 * @property {() => number[]} frames that there are, in order
 * @property {() => object} [extra] more to send along with what is asked
 * @property {() => string} [probeKey] the line of the probe that is shown
 * @property {() => object} [marks] frames that the ribbon marks: { keys, sound, broken }
 * @property {() => { way: string } | null} [data] how what is shown is mapped to a picture, if it is data and no light
 * @property {() => string} [ground] under transparency, if the page says so
 * @property {() => any[]} [origins] what it can be compared with
 * @property {(origin: any, key: string) => any} [otherSubject]
 * @property {() => void} [onFrame] another frame is shown
 * @property {() => void} [onRefresh] something else is shown than before
 * @property {(pixel: { x: number, y: number } | null) => void} [onPoint] the pointer is over another pixel, or none
 * @property {(event: any) => Record<string, any>} [ownKeys]
 * @property {{ undo: () => void, redo: () => void } | null} [history]
 */

/**
 * The stage, which pages hand to what draws on it, and the parts that their templates read.
 * @param {any} page
 * @param {Station} station
 */
export function createViewer(page, station) {
  const { subject, title, extra = () => ({}), origins = () => [], onFrame, onRefresh, onPoint } = station;

  /** @type {Stage} */
  const stage = new Stage(byRef("canvas"), {
    width: page.width,
    height: page.height,
    aspect: page.aspect,
    onPointer: (at) => {
      probe.point(at);
      onPoint?.(at);
    },
    onZoom: (zoom) => {
      picture.zoom = zoom;
      probe.zoomed();
    },
    onBox: (box) => probe.boxed(box),
  });
  const notices = createNotices();
  const frames = createFrames(page, {
    all: station.frames,
    marks: station.marks ?? (() => ({})),
    onChange: () => {
      picture.refresh();
      onFrame?.();
    },
  });
  const looks = createLooks(page, {
    data: station.data ?? (() => null),
    ground: station.ground ?? (() => ""),
    onChange: (sliding) => {
      askPicture(sliding);
      if (!sliding) probe.ask();
    },
  });
  const comparing = createComparing(page, {
    stage,
    frames,
    origins,
    otherSubject: station.otherSubject ?? (() => null),
    onChange: (sliding) => askPicture(sliding),
  });
  /** @type {import("./scopes.js").Scopes} */
  const scopes = createScopes(stage, comparing);
  /** @type {import("./pictures.js").Picture} */
  const picture = createPicture(page, {
    stage, notices, frames, looks, comparing, subject, extra, title,
    onRefresh: () => {
      onRefresh?.();
      probe.ask();
    },
    onShown: () => {
      if (scopes.open) scopes.draw();
      probe.askValues();
    },
  });
  const player = createPlayer(page, { frames, picture, notices });
  /** @type {import("./probing.js").Probe} */
  const probe = createProbe(page, {
    stage,
    picture,
    comparing,
    key: station.probeKey ?? (() => ""),
    isAsked: () => Boolean(subject()) && !player.playing,
  });
  const aim = createAim(stage, notices);
  /** @param {boolean} [sliding] */
  const askPicture = (sliding) => (sliding ? picture.askSliding() : picture.ask({}));

  const parts = { notices, frames, looks, comparing, scopes, picture, player, probe, aim };
  const keyboard = createKeyboard(parts, station.ownKeys ?? (() => ({})), station.history ?? null);
  return { stage, parts: { ...parts, keyboard } };
}
