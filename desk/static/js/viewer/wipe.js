// The wipe of a stage: a line across the picture, square to a direction, that moves along it.
const GRIP = 8; // screen pixels to either side

const directionOf = ({ angle }) => {
  const turn = (angle * Math.PI) / 180;
  return { across: Math.cos(turn), down: Math.sin(turn) };
};

export function middleOf({ x, y, width, height, across, zoom }) {
  return { left: x + (width * across) / 2, top: y + (height * zoom) / 2 };
}

// How far it is from one end to the other, in screen pixels.
export function spanOf(stage) {
  const { across, down } = directionOf(stage);
  return Math.abs(stage.width * stage.across * across) + Math.abs(stage.height * stage.zoom * down);
}

// Where the line lies, from the middle.
export const lineOf = (stage) => (stage.wipe - 0.5) * spanOf(stage);

function along(stage, { left, top }) {
  const { across, down } = directionOf(stage);
  const middle = middleOf(stage);
  return (left - middle.left) * across + (top - middle.top) * down;
}

export const shareAt = (stage, at) => Math.min(1, Math.max(0, along(stage, at) / spanOf(stage) + 0.5));

export const isOnLine = (stage, at) => stage.wipe !== null && Math.abs(along(stage, at) - lineOf(stage)) < GRIP;
