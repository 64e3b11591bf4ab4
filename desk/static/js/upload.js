// Files sent in pieces. A broken connection is waited for; what has arrived is not sent again. Each is named by the
// digest of its contents, so that nothing else goes on where it broke off, and what arrived can be compared with it.
import { sha256 } from "../vendor/js-sha256/sha256.min.js";
import { ofFault, post, send } from "./api.js";

const PIECE = 2 << 20;
const WAITS = [1, 2, 4, 8, 15, 30, 30, 30, 60, 60]; // seconds between attempts without an answer

// Resolves with the folder that holds the files, null if none came.
export async function upload({ files, folder, urls, signal, onProgress }) {
  const whole = files.reduce((sum, file) => sum + file.size, 0) || 1;
  const faults = [];
  const wanted = [];
  let place = null;
  // Each is asked about by itself, so that one that cannot be taken keeps no other out.
  for (const file of files) {
    try {
      const digest = await digestOf(file, signal);
      const begun = await patiently(() =>
        post(urls["upload-begin"], { folder, files: [{ name: file.name, size: file.size, digest }] }, { signal }),
      );
      ({ folder: place } = begun);
      wanted.push({ file, digest, ...begun.files[0] });
    } catch (error) {
      if (signal.aborted) return null;
      faults.push(`${file.name}: ${ofFault(error).what}`);
    }
  }
  let before = 0;
  let kept = 0;
  for (const { file, digest, at, done } of wanted) {
    try {
      if (!done)
        await sendFile(file, digest, at, (now) => onProgress({ done: before + now, whole, name: file.name, faults }));
      kept += 1;
    } catch (error) {
      if (signal.aborted) break;
      faults.push(`${file.name}: ${ofFault(error).what}`);
    }
    before += file.size;
  }
  onProgress({ done: before, whole, name: "", faults });
  return kept ? place : null;

  async function sendFile(file, digest, begin, onNow) {
    let at = begin;
    for (;;) {
      if (signal.aborted) throw new Error("stopped");
      const piece = file.slice(at, at + PIECE);
      const query = new URLSearchParams({ folder, name: file.name, size: file.size, digest, at });
      const answer = await patiently(() => send(`${urls["upload-piece"]}?${query}`, piece));
      at = answer.at;
      onNow(at);
      if (answer.done) return;
    }
  }

  async function patiently(ask) {
    for (let attempt = 0; ; attempt++) {
      try {
        return await (await ask()).json();
      } catch (error) {
        if (error.code !== "unreachable" || attempt >= WAITS.length || signal.aborted) throw error;
        await new Promise((resolve) => setTimeout(resolve, WAITS[attempt] * 1000));
      }
    }
  }
}

async function digestOf(file, signal) {
  const hash = sha256.create();
  for (let at = 0; at < file.size; at += PIECE) {
    if (signal.aborted) throw new Error("stopped");
    hash.update(await file.slice(at, at + PIECE).arrayBuffer());
  }
  return hash.hex();
}
