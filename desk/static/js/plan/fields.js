// Single settings of a plan by dotted name, as presets and findings have them: `quality.samples`.

export function fieldOf(plan, name) {
  return name.split(".").reduce((value, leaf) => value?.[leaf], plan);
}

export function withFields(plan, settings) {
  const changed = { ...plan };
  for (const [name, value] of Object.entries(settings)) {
    const [root, leaf] = name.split(".");
    changed[root] = leaf ? { ...changed[root], [leaf]: value } : value;
  }
  return changed;
}

export function fieldTitle(name) {
  const [root, leaf] = name.split(".");
  const spoken = (leaf ?? root).replaceAll("_", " ");
  return leaf && root !== "quality" ? `${root.replaceAll("_", " ")} ${spoken}` : spoken;
}

export const toggled = (list, item, on) =>
  on ? [...list.filter((other) => other !== item), item] : list.filter((other) => other !== item);

export const megabytes = (bytes) => {
  if (bytes < 1e9) return `${(bytes / 1e6).toFixed(1)} MB`;
  return bytes < 1e12 ? `${(bytes / 1e9).toFixed(2)} GB` : `${(bytes / 1e12).toFixed(2)} TB`;
};

export const tag = (number) => `v${String(number).padStart(3, "0")}`;
