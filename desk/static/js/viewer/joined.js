// One component of several parts: what each of them holds, getters and methods included.
export function joined(...parts) {
  const whole = {};
  for (const part of parts) Object.defineProperties(whole, Object.getOwnPropertyDescriptors(part));
  return whole;
}
