// Where elements lie, in the unit of the board. Text and marks are measured on the drawn sheet.
export function boxOf(element, sheet) {
  if ("width" in element) return { x: element.x, y: element.y, width: element.width, height: element.height };
  const drawn = sheet?.querySelector(`[data-element="${CSS.escape(element.id)}"] .body`)?.getBBox();
  return drawn?.width
    ? { x: drawn.x, y: drawn.y, width: drawn.width, height: drawn.height }
    : { x: element.x, y: element.y, width: 1, height: 1 };
}

export function around(boxes) {
  const x = Math.min(...boxes.map((box) => box.x));
  const y = Math.min(...boxes.map((box) => box.y));
  const right = Math.max(...boxes.map((box) => box.x + box.width));
  const lower = Math.max(...boxes.map((box) => box.y + box.height));
  return { x, y, width: right - x, height: lower - y };
}

export const round = (value) => Math.round(value * 1000) / 1000;
