// All samples as points in space, on a small canvas of our own: turned by dragging or by keys, nearer by the wheel.
import { post } from "../api.js";
import { Newest } from "../newest.js";
import { byRef, reactive } from "../reactive.js";

const HEAD = 8; // bytes
const TURN = 0.008; // radians a pixel
const VERTEX = `
attribute vec3 place; attribute vec4 code;
uniform mat3 turn; uniform vec3 middle; uniform vec3 reach; uniform vec2 stretch;
uniform float zoom; uniform float dot_size; uniform float solid;
varying vec4 shade;
void main() {
  vec3 p = turn * ((place - middle) * reach);
  gl_Position = vec4(p.xy * zoom * stretch, p.z * 0.3, 1.0);
  gl_PointSize = dot_size;
  if ((code.a > 0.5) != (solid > 0.5)) gl_Position = vec4(2.0, 2.0, 2.0, 1.0);
  shade = vec4(code.rgb, max(code.a, 0.04));
}`;
const FRAGMENT =
  "precision mediump float; varying vec4 shade; void main() { gl_FragColor = vec4(shade.rgb * shade.a, shade.a); }";

/** @typedef {ReturnType<typeof createCloud>} Cloud */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("../viewer/pictures.js").Picture} uses.picture
 */
export const createCloud = (page, { picture }) => {
  const canvas = byRef("cloud");
  const asking = new Newest((request) => cloud.fetch(request));
  let drawing = null;

  const cloud = reactive({
    points: 0, // that are drawn
    total: 0,
    fromSide: 0.6,
    fromAbove: 0.35,
    nearness: 1,
    noCloud: "",

    ask() { if (drawing) asking.ask(picture.asked()); },
    async fetch(request) {
      try {
        const bytes = await (await post(page.urls.points, request)).arrayBuffer();
        [this.points, this.total] = new Uint32Array(bytes, 0, 2);
        drawing.put(bytes, this.points, page.width);
      } catch {
        this.points = 0; // the picture says why
        drawing.put(new ArrayBuffer(HEAD), 0, page.width);
      }
      this.draw();
    },
    get text() {
      if (this.noCloud) return this.noCloud;
      const some =
        this.points < this.total
          ? `${this.points.toLocaleString("en")} of ${this.total.toLocaleString("en")} samples shown`
          : `${this.points.toLocaleString("en")} samples`;
      return some;
    },
    draw() { drawing?.draw({ side: this.fromSide, above: this.fromAbove, zoom: this.nearness }); },
    turn(across, down) {
      this.fromSide += across;
      this.fromAbove = Math.min(1.5, Math.max(-1.5, this.fromAbove + down));
      this.draw();
    },
    drag(event) {
      let last = [event.clientX, event.clientY];
      canvas.setPointerCapture(event.pointerId);
      const move = (change) => {
        this.turn((change.clientX - last[0]) * TURN, (change.clientY - last[1]) * TURN);
        last = [change.clientX, change.clientY];
      };
      canvas.addEventListener("pointermove", move);
      canvas.addEventListener("lostpointercapture", () => canvas.removeEventListener("pointermove", move), {
        once: true,
      });
    },
    key(event) {
      const turns = { ArrowLeft: [-0.1, 0], ArrowRight: [0.1, 0], ArrowUp: [0, -0.1], ArrowDown: [0, 0.1] };
      if (turns[event.key]) this.turn(...turns[event.key]);
      else if (event.key === "+" || event.key === "-") this.nearness *= event.key === "+" ? 1.2 : 1 / 1.2;
      else if (event.key === "Home") Object.assign(this, { fromSide: 0.6, fromAbove: 0.35, nearness: 1 });
      else return;
      event.preventDefault();
      event.stopPropagation();
      this.draw();
    },
    // As the camera sees it, and from the side.
    fromCamera() {
      Object.assign(this, { fromSide: 0, fromAbove: 0, nearness: 1 });
      this.draw();
    },
    fromTheSide() {
      Object.assign(this, { fromSide: Math.PI / 2, fromAbove: 0, nearness: 1 });
      this.draw();
    },
  });

  try {
    drawing = new PointCloud(canvas);
  } catch (error) {
    cloud.noCloud = `Points cannot be drawn here: ${error.message}.`;
    return cloud;
  }
  new ResizeObserver(() => cloud.draw()).observe(canvas);
  canvas.addEventListener("pointerdown", (event) => cloud.drag(event));
  canvas.addEventListener("wheel", (event) => {
    event.preventDefault();
    cloud.nearness = Math.min(20, Math.max(0.2, cloud.nearness * Math.exp(-event.deltaY * 0.0015)));
    cloud.draw();
  }, { passive: false });
  return cloud;
};


class PointCloud {
  constructor(canvas) {
    this.canvas = canvas;
    this.gl = canvas.getContext("webgl", { antialias: false, alpha: false, preserveDrawingBuffer: true });
    if (!this.gl) throw new Error("this browser has no WebGL");
    const { gl } = this;
    this.program = gl.createProgram();
    for (const [kind, text] of [[gl.VERTEX_SHADER, VERTEX], [gl.FRAGMENT_SHADER, FRAGMENT]]) {
      const shader = gl.createShader(kind);
      gl.shaderSource(shader, text);
      gl.compileShader(shader);
      if (!gl.getShaderParameter(shader, gl.COMPILE_STATUS)) throw new Error(gl.getShaderInfoLog(shader));
      gl.attachShader(this.program, shader);
    }
    gl.linkProgram(this.program);
    gl.useProgram(this.program);
    this.buffer = gl.createBuffer();
    this.count = 0;
    this.of = (name) => gl.getUniformLocation(this.program, name);
  }

  // places (12 bytes each), then codes (4), after the head.
  put(bytes, count, wide) {
    const { gl } = this;
    this.count = count;
    gl.bindBuffer(gl.ARRAY_BUFFER, this.buffer);
    gl.bufferData(gl.ARRAY_BUFFER, new Uint8Array(bytes, HEAD), gl.STATIC_DRAW);
    const attribute = (name, size, kind, normal, from) => {
      const where = gl.getAttribLocation(this.program, name);
      gl.enableVertexAttribArray(where);
      gl.vertexAttribPointer(where, size, kind, normal, 0, from);
    };
    attribute("place", 3, gl.FLOAT, false, 0);
    attribute("code", 4, gl.UNSIGNED_BYTE, true, count * 12);
    const places = new Float32Array(bytes, HEAD, count * 3);
    const depths = Array.from(
      { length: Math.min(count, 20000) },
      (_, i) => places[3 * Math.floor((i * count) / Math.min(count, 20000)) + 2],
    ).sort((a, b) => a - b);
    const [near, far] = [depths[Math.floor(depths.length * 0.01)] ?? 0, depths[Math.floor(depths.length * 0.99)] ?? 1];
    this.middle = [0, 0, (near + far) / 2];
    this.reach = [2 / wide, 2 / wide, -2 / (far - near || 1)];
  }

  draw({ side, above, zoom }) {
    const { gl, canvas } = this;
    const box = canvas.getBoundingClientRect();
    if (!box.width || !this.reach) return;
    const ratio = window.devicePixelRatio || 1;
    canvas.width = Math.round(box.width * ratio);
    canvas.height = Math.round(box.height * ratio);
    gl.viewport(0, 0, canvas.width, canvas.height);
    gl.clearColor(0.06, 0.06, 0.06, 1);
    gl.clear(gl.COLOR_BUFFER_BIT | gl.DEPTH_BUFFER_BIT);
    gl.enable(gl.DEPTH_TEST);
    gl.enable(gl.BLEND);
    gl.blendFunc(gl.ONE, gl.ONE_MINUS_SRC_ALPHA);
    const [cs, ss, ca, sa] = [Math.cos(side), Math.sin(side), Math.cos(above), Math.sin(above)];
    gl.uniformMatrix3fv(this.of("turn"), false, [cs, sa * ss, -ca * ss, 0, ca, sa, ss, -sa * cs, ca * cs]);
    gl.uniform3fv(this.of("middle"), this.middle);
    gl.uniform3fv(this.of("reach"), this.reach);
    const high = canvas.width / canvas.height;
    gl.uniform2fv(this.of("stretch"), high > 1.4 ? [0.62 * 1.4 / high, 0.62 * 1.4] : [0.62, 0.62 * high]);
    gl.uniform1f(this.of("zoom"), zoom);
    gl.uniform1f(this.of("dot_size"), Math.max(1.5, 1.6 * ratio * Math.sqrt(zoom)));
    // What is thin hides nothing that is behind it.
    for (const solid of [1, 0]) {
      gl.uniform1f(this.of("solid"), solid);
      gl.depthMask(solid === 1);
      gl.drawArrays(gl.POINTS, 0, this.count);
    }
    gl.depthMask(true);
  }
}
