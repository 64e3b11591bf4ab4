// What a stage looks like: its pictures, compared or alone, the numbers in its pixels, and what is marked.
import { lineOf, middleOf, spanOf } from "./wipe.js";

const NAME_GAP = 14; // screen pixels from a wipe's line to what is written beside it
export const NUMBERS_FROM = 38; // screen pixels that one pixel is high

export function drawStage(stage) {
  const pen = stage.canvas.getContext("2d");
  pen.setTransform(1, 0, 0, 1, 0, 0);
  pen.clearRect(0, 0, stage.canvas.width, stage.canvas.height);
  pen.setTransform(stage.ratio, 0, 0, stage.ratio, 0, 0);
  const { main, other } = stage.pictures;
  if (stage.beside && main && other) drawBeside(stage, pen, main, other);
  else if (stage.swapped && other) drawPicture(stage, pen, other);
  else if (main) drawPicture(stage, pen, main);
  if (stage.wipe !== null && other && !stage.beside) drawWipe(stage, pen, other);
  if (stage.numbers && main) drawNumbers(stage, pen);
  pen.strokeStyle = "#fff";
  if (stage.mark && stage.zoom >= 4) outline(stage, pen, { ...stage.mark, x1: stage.mark.x, y1: stage.mark.y });
  if (stage.box) outline(stage, pen, stage.box);
  stage.tool?.draw?.(pen);
}

function outline(stage, pen, { x, y, x1, y1 }) {
  pen.lineWidth = 1;
  pen.strokeRect(
    stage.x + x * stage.across - 1,
    stage.y + y * stage.zoom - 1,
    (x1 - x + 1) * stage.across + 2,
    (y1 - y + 1) * stage.zoom + 2,
  );
}

function drawWipe(stage, pen, other) {
  const { left, top } = middleOf(stage);
  const far = spanOf(stage) + Math.max(stage.canvas.width, stage.canvas.height);
  const line = lineOf(stage);
  pen.save();
  pen.beginPath();
  pen.rect(stage.x, stage.y, stage.width * stage.across, stage.height * stage.zoom);
  pen.clip();
  pen.translate(left, top);
  pen.rotate((stage.angle * Math.PI) / 180);
  pen.save();
  pen.beginPath();
  pen.rect(-far, -far, far + line, 2 * far);
  pen.clip();
  pen.rotate((-stage.angle * Math.PI) / 180);
  pen.translate(-left, -top);
  drawPicture(stage, pen, other);
  pen.restore();
  pen.fillStyle = "#fff";
  pen.fillRect(Math.round(line) - 0.5, -far, 1, 2 * far);
  pen.restore();
  nameHalves(stage, pen, { left, top, line });
}

// Which picture lies on which side, beside the line's upper end: the other one where its way begins.
function nameHalves(stage, pen, { left, top, line }) {
  const turn = (stage.angle * Math.PI) / 180;
  const [across, down] = [Math.cos(turn), Math.sin(turn)];
  const up =
    0.44 * Math.min((stage.height * stage.zoom) / Math.abs(across), (stage.width * stage.across) / Math.abs(down));
  pen.font = "13px Next, sans-serif";
  pen.textBaseline = "middle";
  [[stage.names.other, -1], [stage.names.main, 1]].forEach(([name, side]) => {
    const x = left + across * (line + side * NAME_GAP) + down * up;
    const y = top + down * (line + side * NAME_GAP) - across * up;
    const way = across * side;
    const wide = pen.measureText(name).width + 12;
    const from = way > 0.3 ? x : way < -0.3 ? x - wide : x - wide / 2;
    pen.fillStyle = "#000a";
    pen.fillRect(from, y - 11, wide, 22);
    pen.fillStyle = "#fff";
    pen.textAlign = "left";
    pen.fillText(name, from + 6, y);
  });
}

function drawBeside(stage, pen, main, other) {
  const wide = stage.canvas.width / stage.ratio / 2;
  const high = stage.canvas.height / stage.ratio;
  [main, other].forEach((bitmap, place) => {
    pen.save();
    pen.beginPath();
    pen.rect(place * wide, 0, wide - 1, high);
    pen.clip();
    pen.translate(place ? wide / 2 : -wide / 2, 0);
    drawPicture(stage, pen, bitmap);
    pen.restore();
  });
}

function drawNumbers(stage, pen) {
  const { x, y, width, values } = stage.numbers;
  const lines = values[0]?.length ?? 0;
  if (!lines || stage.zoom < NUMBERS_FROM) return;
  const size = Math.min(11, (stage.zoom - 6) / lines);
  pen.font = `${size}px Mono, monospace`;
  pen.textAlign = "center";
  pen.textBaseline = "middle";
  values.forEach((stored, place) => {
    const left = stage.x + (x + (place % width) + 0.5) * stage.across;
    const top = stage.y + (y + Math.floor(place / width) + 0.5) * stage.zoom;
    stored.forEach((value, line) => {
      const text = typeof value === "string" ? value : shortly(value);
      const at = top + (line - (lines - 1) / 2) * (size + 1);
      pen.lineWidth = 2.5;
      pen.strokeStyle = "#000c";
      pen.strokeText(text, left, at);
      pen.fillStyle = "#fff";
      pen.fillText(text, left, at);
    });
  });
}

function drawPicture(stage, pen, bitmap) {
  pen.imageSmoothingEnabled = bitmap.width < stage.width || !stage.showsPixels;
  pen.imageSmoothingQuality = stage.passing ? "low" : "high";
  pen.drawImage(bitmap, stage.x, stage.y, stage.width * stage.across, stage.height * stage.zoom);
}

// A stored number as short as a pixel has room for.
function shortly(value) {
  const size = Math.abs(value);
  if (size !== 0 && (size < 1e-3 || size >= 1e4)) return value.toExponential(1);
  return value.toFixed(size < 10 ? 3 : 1);
}
