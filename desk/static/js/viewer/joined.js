// One component of several parts: what each of them holds, getters and methods included. No two parts may hold the same name,
// but for what comes first: `defaults`, which a part may replace.
export function joined(defaults, ...parts) {
  const whole = {};
  const twice = [];
  for (const part of parts) {
    for (const [name, property] of Object.entries(Object.getOwnPropertyDescriptors(part))) {
      if (Object.hasOwn(whole, name)) twice.push(name);
      Object.defineProperty(whole, name, property);
    }
  }
  if (twice.length) throw new Error(`Two parts of the page hold ${twice.join(", ")}.`);
  const missing = Object.entries(Object.getOwnPropertyDescriptors(defaults)).filter(([name]) => !Object.hasOwn(whole, name));
  return Object.defineProperties(whole, Object.fromEntries(missing));
}
