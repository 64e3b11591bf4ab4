// The keys of the viewer, and those that a station adds.

/**
 * @param {any} uses the parts of the viewer: frames, player, looks, comparing, picture, scopes, probe, aim
 * @param {(event: any) => Record<string, any>} ownKeys what the station does on which key
 * @param {{ undo: () => void, redo: () => void } | null} history
 */
export const createKeyboard = (
  { frames, player, looks, comparing, picture, scopes, probe, aim },
  ownKeys,
  history,
) => ({
  pressed(event) {
    const field = event.target.closest("input:not([type=checkbox]), select, textarea");
    const undoes = (event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z";
    // In a number that is not being typed, undo is that of the page.
    if (field && !(undoes && field.closest("num-field") && !field.closest("num-field").typing)) return;
    if (undoes) {
      event.preventDefault();
      if (event.shiftKey) history?.redo();
      else history?.undo();
      return;
    }
    if (document.querySelector("dialog[open]") || event.ctrlKey || event.metaKey || event.altKey) return;
    const onButton = event.target.closest("button, a, input");
    const actions = {
      ",": () => frames.step(-1),
      ".": () => frames.step(1),
      w: () => comparing.next(),
      p: () => probe.toggleReadings(),
      s: () => scopes.toggle(),
      f: () => picture.fit(),
      Home: () => picture.oneToOne(),
      q: () => picture.togglePixels(),
      v: () => looks.toggle(),
      o: () => looks.toggleMark("over"),
      n: () => looks.toggleMark("negative"),
      x: () => looks.toggleMark("nan"),
      "+": () => looks.set("stops", looks.stops + 1),
      "-": () => looks.set("stops", looks.stops - 1),
      Escape: () => (aim.name ? aim.drop() : probe.boxed(null)),
      " ": onButton ? null : () => player.toggle(),
      ...ownKeys(event),
    };
    const action = actions[event.key];
    if (!action) return;
    event.preventDefault();
    action();
  },
});
