// Requests to the server. Failures arrive as Fault: what is wrong, where, and what to do.
const BUSY = 429;
const ATTEMPTS = 4;
const MOST_LEAVING = 60_000; // characters of a request that may outlast its page
// Refusals come as 200 with their status beside: they are no errors of the page
export const HANDLES = { "Prism-Handles-Refusals": "1" };
const PAUSE = 600; // milliseconds, longer with every attempt

export class Fault extends Error {
  /** @param {{ code?: string, what: string, where?: string, advice?: string, file?: boolean, theirs?: any }} fault */
  constructor({ code = "page", what, where = "", advice = "", file = false, theirs = null }) {
    super(what);
    this.code = code;
    this.what = what;
    this.where = where;
    this.advice = advice;
    this.file = file; // whether it is about a file
    this.theirs = theirs; // what somebody else saved meanwhile
  }
}

// What a page may show as wrong. Anything else is an error of ours, which is not the reader's affair: it is thrown on.
export function ofFault(error) {
  if (error instanceof Fault) return error;
  throw error;
}

export const wordsOf = (error) => {
  const { what, where, advice } = ofFault(error);
  return [where && `${where}:`, what, advice].filter(Boolean).join(" ");
};

// Whether an answer is no longer wanted.
export const isSuperseded = (error) => error.code === "work.superseded" || error.name === "AbortError";

export const pageData = () => JSON.parse(document.getElementById("page-data")?.textContent ?? "null");

const token = () => document.querySelector('meta[name="csrf-token"]').getAttribute("content");

/**
 * @param {string} url
 * @param {any} body
 * @param {{ signal?: AbortSignal, leaving?: boolean }} [how] leaving: goes out although the page is left, as far as
 *   browsers allow
 */
export async function post(url, body, { signal, leaving = false } = {}) {
  const text = JSON.stringify(body);
  const request = {
    method: "POST",
    headers: { "Content-Type": "application/json", Accept: "application/json", "X-CSRFToken": token(), ...HANDLES },
    body: text,
    signal,
    keepalive: leaving && text.length < MOST_LEAVING,
  };
  return answer(await patiently(() => reach(url, request)));
}

// Bytes as they are.
export async function send(url, bytes) {
  const headers = {
    "Content-Type": "application/octet-stream",
    Accept: "application/json",
    "X-CSRFToken": token(),
    ...HANDLES,
  };
  return answer(await reach(url, { method: "POST", headers, body: bytes }));
}

export async function get(url) {
  return answer(await patiently(() => reach(url, { headers: { Accept: "application/json", ...HANDLES } })));
}

// As often as there is room for: an answer that says to come back in a moment is asked for again.
async function patiently(ask) {
  for (let attempt = 1; ; attempt++) {
    const response = await ask();
    if (Number(refusal(response)) !== BUSY || attempt > ATTEMPTS) return response;
    await new Promise((resolve) => setTimeout(resolve, attempt * PAUSE));
  }
}

// The status of a refusal, null for an answer.
export const refusal = (response) => response.headers.get("Prism-Refused");

async function reach(url, request) {
  // Which the browser would take for a page beside this one
  if (!url) throw new TypeError("A request without an address.");
  try {
    return await fetch(url, request);
  } catch (error) {
    if (error.name === "AbortError") throw error;
    throw new Fault({
      code: "unreachable",
      what: "The server does not answer.",
      advice: "Your changes stay on this page. Check that it runs, then try again.",
    });
  }
}

async function answer(response) {
  if (response.redirected && response.url.includes("/login/")) {
    throw new Fault({
      what: "You are logged out.",
      advice: "Log in again in another tab; this page keeps your changes.",
    });
  }
  if (response.ok && !refusal(response)) return response;
  if (response.headers.get("Content-Type")?.includes("json")) throw new Fault((await response.json()).error);
  if (response.status === 403) throw new Fault({ what: "You can look at this production, but not change it." });
  throw new Fault({
    what: `The server failed (${response.status}).`,
    advice: "Nothing saved is lost; the server's log has the details.",
  });
}
