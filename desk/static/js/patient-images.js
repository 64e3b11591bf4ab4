// Pictures in lists that were refused because the server has too much to do are asked for again until they are there;
// those refused otherwise a few times, since one that took too long at first may not the next time.
import { HANDLES, refusal } from "./api.js";

const BUSY = 429;
const MOST_ATTEMPTS = 3; // after other refusals
const FIRST_PAUSE = 800; // milliseconds, longer with every attempt
const LONGEST_PAUSE = 8000;

export function watchImages() {
  document.addEventListener("error", ({ target }) => target instanceof HTMLImageElement && cameNot(target), true);
  document.addEventListener("load", ({ target }) => target instanceof HTMLImageElement && came(target), true);
  for (const image of document.images) if (image.src && image.complete && !image.naturalWidth) cameNot(image);
}

const came = (image) => {
  delete image.dataset.state;
  delete image.dataset.attempt;
};

// The element tells nothing of why, so the address is asked once more.
async function cameNot(image) {
  const wanted = image.src;
  if (!image.getAttribute("src") || new URL(wanted).origin !== location.origin) return;
  image.dataset.state = "waiting";
  const asked = { headers: { Accept: "application/json", ...HANDLES } }; // of a refusal; a picture comes as it is
  const answer = await fetch(wanted, asked).catch(() => null);
  if (image.src !== wanted || !image.isConnected) return;
  const isPicture = answer?.ok && answer.headers.get("Content-Type")?.startsWith("image/");
  const attempt = Number(image.dataset.attempt ?? 0) + 1;
  if (!isPicture && Number(answer && refusal(answer)) !== BUSY && attempt > MOST_ATTEMPTS) {
    image.dataset.state = "failed";
    return;
  }
  image.dataset.attempt = attempt;
  setTimeout(
    () => image.src === wanted && image.isConnected && (image.src = again(wanted, attempt)),
    Math.min(LONGEST_PAUSE, attempt * FIRST_PAUSE),
  );
}

// Under another address, since this one's refusal is what the browser knows.
function again(address, attempt) {
  const url = new URL(address);
  url.searchParams.set("attempt", attempt);
  return url.href;
}
