// Histogram and waveform of the picture as it is on the screen.
import { byRef, nextTick, reactive } from "../reactive.js";

const COLOURS = ["#ff6b5e", "#69d36e", "#6aa2ff"];
const SAMPLE_WIDTH = 480;

export function pixelsOf(bitmap) {
  const width = Math.min(SAMPLE_WIDTH, bitmap.width);
  const height = Math.max(1, Math.round((bitmap.height * width) / bitmap.width));
  const canvas = new OffscreenCanvas(width, height);
  const pen = canvas.getContext("2d", { willReadFrequently: true });
  pen.imageSmoothingEnabled = false; // averages would hide the extremes
  pen.drawImage(bitmap, 0, 0, width, height);
  return pen.getImageData(0, 0, width, height);
}

export function drawHistogram(canvas, { data }) {
  const counts = [0, 1, 2].map(() => new Uint32Array(256));
  for (let i = 0; i < data.length; i += 4) for (let c = 0; c < 3; c++) counts[c][data[i + c]]++;
  // Black and white ends are left out of the scale: a sky burnt out would flatten all the rest.
  const peak = Math.max(1, ...counts.map((bins) => Math.max(...bins.subarray(1, 255))));
  const pen = begin(canvas);
  counts.forEach((bins, c) => {
    pen.fillStyle = COLOURS[c];
    for (let v = 0; v < 256; v++) {
      const high = Math.min(1, bins[v] / peak) * canvas.height;
      pen.fillRect((v * canvas.width) / 256, canvas.height - high, canvas.width / 256, high);
    }
  });
}

export function drawWaveform(canvas, { data, width, height }) {
  const pen = begin(canvas);
  pen.globalAlpha = 0.12;
  for (let c = 0; c < 3; c++) {
    pen.fillStyle = COLOURS[c];
    for (let y = 0; y < height; y += 2) {
      for (let x = 0; x < width; x++) {
        const v = data[4 * (y * width + x) + c];
        pen.fillRect((x * canvas.width) / width, (1 - v / 255) * (canvas.height - 1), canvas.width / width, 1);
      }
    }
  }
  pen.globalAlpha = 1;
}

// Colour by its distance from grey (BT.709 colour differences of display values): grey in the middle, pure colours far
// out.
export function drawVectors(canvas, { data }) {
  const pen = begin(canvas);
  const side = Math.min(canvas.width, canvas.height);
  const [cx, cy] = [canvas.width / 2, canvas.height / 2];
  pen.strokeStyle = "#444";
  for (const share of [0.25, 0.5]) {
    pen.beginPath();
    pen.arc(cx, cy, side * share * 0.98, 0, 2 * Math.PI);
    pen.stroke();
  }
  pen.globalAlpha = 0.25;
  for (let i = 0; i < data.length; i += 8) {
    const [r, g, b] = [data[i], data[i + 1], data[i + 2]];
    const luma = 0.2126 * r + 0.7152 * g + 0.0722 * b;
    const x = cx + ((b - luma) / 1.8556 / 255) * side * 0.98;
    const y = cy - ((r - luma) / 1.5748 / 255) * side * 0.98;
    pen.fillStyle = `rgb(${r},${g},${b})`;
    pen.fillRect(x, y, 1.5, 1.5);
  }
  pen.globalAlpha = 1;
}

function begin(canvas) {
  const pen = canvas.getContext("2d");
  pen.globalCompositeOperation = "source-over";
  pen.clearRect(0, 0, canvas.width, canvas.height);
  pen.globalCompositeOperation = "lighter";
  return pen;
}

/** @typedef {ReturnType<typeof createScopes>} Scopes */

/**
 * The panel of scopes below the picture.
 * @param {import("./stage.js").Stage} stage
 * @param {import("./comparing.js").Comparing} comparing
 */
export const createScopes = (stage, comparing) => reactive({
  open: false,

  toggle() {
    this.open = !this.open;
    if (this.open) nextTick(() => this.draw());
  },
  // Of the picture, and below that of the one it is compared with.
  draw() {
    const { main, other } = stage.pictures;
    this.drawOf(main, "histogram", "waveform", "vectors");
    if (comparing.showsOther) this.drawOf(other, "otherHistogram", "otherWaveform", "otherVectors");
  },
  drawOf(bitmap, histogram, waveform, vectors) {
    if (!bitmap) return;
    const pixels = pixelsOf(bitmap);
    drawHistogram(byRef(histogram), pixels);
    drawWaveform(byRef(waveform), pixels);
    drawVectors(byRef(vectors), pixels);
  },
});
