// The sheet as SVG: a close drawing of what the core will write. Its own numbers are those of the document.
import { boxOf } from "./boxes.js";

const SVG = "http://www.w3.org/2000/svg";
const FAMILIES = { text: ["Next", 400], "text bold": ["Next", 700], mono: ["Mono", 400], "mono bold": ["Mono", 700] };
const ANCHORS = { left: "start", middle: "middle", right: "end" };
const FORMS = {
  dash: "M-0.5,-0.1H0.5V0.1H-0.5Z",
  triangle: "M-0.5,0.433L0,-0.433L0.5,0.433Z",
  arrow: "M-0.12,0.5V-0.05H-0.38L0,-0.5L0.38,-0.05H0.12V0.5Z",
  dot: "M-0.5,0A0.5,0.5 0 1 0 0.5,0A0.5,0.5 0 1 0 -0.5,0Z",
  ring: "M-0.5,0A0.5,0.5 0 1 0 0.5,0A0.5,0.5 0 1 0 -0.5,0ZM-0.33,0A0.33,0.33 0 1 1 0.33,0A0.33,0.33 0 1 1 -0.33,0Z",
};

function make(name, attributes = {}, ...children) {
  const node = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes))
    if (value !== null && value !== undefined) node.setAttribute(key, value);
  node.append(...children);
  return node;
}

export function draw(svg, editor) {
  const { board } = editor;
  const { border } = board;
  svg.setAttribute("viewBox", `${-border} ${-border} ${board.width + 2 * border} ${board.height + 2 * border}`);
  const defs = make("defs");
  const nodes = [
    defs,
    make("rect", {
      x: -border,
      y: -border,
      width: board.width + 2 * border,
      height: board.height + 2 * border,
      fill: board.border_colour,
    }),
    make("rect", { width: board.width, height: board.height, fill: board.background }),
  ];
  for (const element of board.elements) if (!element.hidden) nodes.push(drawn(element, editor, defs));
  svg.replaceChildren(...nodes);
  svg.append(marks(editor, svg));
}

function drawn(element, editor, defs) {
  const body = make("g", { class: "body" }, ...BODIES[element.kind](element, editor, defs));
  const group = make(
    "g",
    { "data-element": element.id, opacity: element.opacity, class: element.locked ? "locked" : null },
    body,
  );
  if (element.shadow) group.setAttribute("filter", `url(#${shadowOf(element, defs)})`);
  return group;
}

function shadowOf({ id, shadow }, defs) {
  const key = `shadow-${id}`;
  defs.append(
    make(
      "filter",
      { id: key, x: "-50%", y: "-50%", width: "200%", height: "200%" },
      make("feDropShadow", {
        dx: shadow.dx,
        dy: shadow.dy,
        stdDeviation: shadow.blur,
        "flood-color": shadow.colour,
        "flood-opacity": shadow.opacity,
      }),
    ),
  );
  return key;
}

const BODIES = { picture, band, marks: repeated, text };

function picture(element, editor) {
  const box = { x: element.x, y: element.y, width: element.width, height: element.height };
  const seen = element.fill === "fit" ? fitted(box, editor.shotOf(element.source)?.aspect) : box;
  const nodes = element.source
    ? [
        make("image", {
          ...box,
          href: editor.pictureUrl(element.source),
          preserveAspectRatio: element.fill === "fill" ? "xMidYMid slice" : "xMidYMid meet",
        }),
      ]
    : [make("rect", { ...box, fill: "#5a3c32" })];
  return [make("rect", { ...box, fill: "transparent" }), ...nodes, ...outline({ ...element, ...seen })];
}

// The part of a box that a picture of that shape takes, whole; all of it if the shape is not known.
function fitted(box, aspect) {
  if (!aspect) return box;
  const width = Math.min(box.width, box.height * aspect);
  const height = width / aspect;
  return { x: box.x + (box.width - width) / 2, y: box.y + (box.height - height) / 2, width, height };
}

function outline({ x, y, width, height, outline: edge, outline_colour: colour }) {
  if (!edge) return [];
  return [
    make("rect", {
      x: x - edge / 2,
      y: y - edge / 2,
      width: width + edge,
      height: height + edge,
      fill: "none",
      stroke: colour,
      "stroke-width": edge,
    }),
  ];
}

function band(element, editor, defs) {
  const box = { x: element.x, y: element.y, width: element.width, height: element.height };
  let fill = element.colour;
  if (element.blend) {
    fill = `url(#blend-${element.id})`;
    defs.append(
      make(
        "linearGradient",
        { id: `blend-${element.id}`, x1: 0, y1: 0, x2: 0, y2: 1 },
        make("stop", { offset: 0, "stop-color": element.colour }),
        make("stop", { offset: 1, "stop-color": element.colour_below }),
      ),
    );
  }
  const nodes = [make("rect", { ...box, fill })];
  if (element.texture !== "plain") {
    const { spacing, weight } = element;
    const shape =
      element.texture === "dots"
        ? make("circle", { cx: spacing / 2, cy: spacing / 2, r: (spacing * weight) / 2, fill: element.texture_colour })
        : make("rect", {
            y: (spacing * (1 - weight)) / 2,
            width: spacing,
            height: spacing * weight,
            fill: element.texture_colour,
          });
    const half = -spacing / 2;
    defs.append(
      make(
        "pattern",
        {
          id: `texture-${element.id}`,
          width: spacing,
          height: spacing,
          patternUnits: "userSpaceOnUse",
          patternTransform: `translate(${element.x},${element.y}) rotate(${element.turn}) translate(${half},${half})`,
        },
        shape,
      ),
    );
    nodes.push(make("rect", { ...box, fill: `url(#texture-${element.id})` }));
  }
  return [...nodes, ...outline(element)];
}

function repeated(element) {
  const nodes = [];
  const one = (x, y, turned) =>
    nodes.push(
      make("path", {
        d: FORMS[element.form],
        fill: element.colour,
        "fill-rule": "evenodd",
        transform: `translate(${x},${y}) scale(${element.size},${turned ? -element.size : element.size})`,
      }),
    );
  for (let row = 0; row < element.rows; row++) {
    for (let column = 0; column < element.count; column++) {
      const x = element.x + column * element.spacing;
      const y = element.y + row * element.row_spacing;
      one(x, y, false);
      if (element.mirrored) one(x, 2 * element.about - y, true);
    }
  }
  return nodes;
}

function text(element, editor, defs) {
  const [family, weight] = FAMILIES[element.face];
  const lines = element.text.split("\n").map((line, place) => {
    const span = make("tspan", { x: element.x, y: element.y + place * element.size * element.leading });
    span.textContent = line;
    return span;
  });
  const attributes = {
    "font-family": family, "font-weight": weight, "font-size": element.size, "text-anchor": ANCHORS[element.align],
    transform: element.turn ? `rotate(${element.turn} ${element.x} ${element.y})` : null, "xml:space": "preserve",
  };
  const nodes = [make("text", { ...attributes, fill: element.colour }, ...lines)];
  if (element.glow > 0) {
    const key = `glow-${element.id}`;
    defs.append(
      make(
        "filter",
        { id: key, x: "-50%", y: "-100%", width: "200%", height: "300%" },
        make("feGaussianBlur", { stdDeviation: element.glow / 2 }),
        make("feComponentTransfer", {}, make("feFuncA", { type: "linear", slope: 2 })),
      ),
    );
    const shine = nodes[0].cloneNode(true);
    shine.setAttribute("fill", element.glow_colour);
    shine.setAttribute("filter", `url(#${key})`);
    nodes.unshift(shine);
  }
  return nodes;
}

// What is chosen, its corners, and the lines that caught it.
function marks(editor, svg) {
  const group = make("g", { class: "marks" });
  const unit = editor.unitsPerPixel;
  for (const element of editor.picked) {
    const box = boxOf(element, svg);
    group.append(make("rect", { ...box, class: "chosen", "stroke-width": 1.5 * unit }));
    if (element !== editor.one || !("width" in element) || element.locked) continue;
    for (const corner of ["nw", "ne", "sw", "se"]) {
      const x = corner.includes("w") ? box.x : box.x + box.width;
      const y = corner.includes("n") ? box.y : box.y + box.height;
      group.append(
        make("rect", {
          "data-corner": corner,
          "data-element": element.id,
          class: `corner ${corner}`,
          x: x - 5 * unit,
          y: y - 5 * unit,
          width: 10 * unit,
          height: 10 * unit,
        }),
      );
    }
  }
  for (const { along, at } of editor.guides) {
    const { board } = editor;
    const line =
      along === "x"
        ? { x1: at, x2: at, y1: -board.border, y2: board.height + board.border }
        : { y1: at, y2: at, x1: -board.border, x2: board.width + board.border };
    group.append(make("line", { ...line, class: "guide", "stroke-width": unit }));
  }
  return group;
}
