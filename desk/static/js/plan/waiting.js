// Measurements that a worker makes: asked for until they are there.
const EVERY = 1500; // milliseconds
const FOR = 120_000;

/**
 * What is read once it is another than before; null if it does not come.
 * @param {() => Promise<any>} read
 * @param {(found: any) => boolean} isNew
 */
export async function awaited(read, isNew) {
  for (let waited = 0; waited < FOR; waited += EVERY) {
    await new Promise((done) => setTimeout(done, EVERY));
    const found = await read();
    if (found && isNew(found)) return found;
  }
  return null;
}
