const TRIES = 40;
const PAUSE = 50; // ms

/** Tries until it is done: a screen may still be coming up. */
function until(done: () => boolean, tries = TRIES): void {
  if (!done() && tries) setTimeout(() => until(done, tries - 1), PAUSE);
}

/** Asks the screen that is coming up, until it takes what is asked. */
export const ask = (name: string, detail: unknown) =>
  until(() => !dispatchEvent(new CustomEvent(name, { detail, cancelable: true })));

/** Brings what stands at a place of the case file into sight and puts the cursor there, as soon as it
 * is on the page. */
export const aim = (at: string) => until(() => reached(at));

function reached(at: string): boolean {
  const here = document.querySelector<HTMLElement>(`[data-at="${CSS.escape(at)}"]`);
  if (!here) return false;
  here.scrollIntoView({ block: "center" });
  const field = here.querySelector<HTMLElement>("input, textarea, button") ?? here;
  field.focus();
  if (field.getAttribute("aria-expanded") === "false") field.click();
  if (field instanceof HTMLInputElement && field.type === "text") field.select();
  return true;
}
