const TRIES = 40;
const PAUSE = 50; // ms

/** Asks the screen that is coming up, until it takes what is asked. */
export function ask(name: string, detail: unknown, tries = TRIES): void {
  const taken = !dispatchEvent(new CustomEvent(name, { detail, cancelable: true }));
  if (!taken && tries) setTimeout(() => ask(name, detail, tries - 1), PAUSE);
}

/** Brings what stands at a place of the case file into sight and puts the cursor there, as soon as it
 * is on the page. */
export function aim(at: string, tries = TRIES): void {
  const here = document.querySelector<HTMLElement>(`[data-at="${CSS.escape(at)}"]`);
  if (!here) {
    if (tries) setTimeout(() => aim(at, tries - 1), PAUSE);
    return;
  }
  here.scrollIntoView({ block: "center" });
  const field = here.querySelector<HTMLElement>("input, textarea, button") ?? here;
  field.focus();
  if (field.getAttribute("aria-expanded") === "false") field.click();
  if (field instanceof HTMLInputElement && field.type === "text") field.select();
}
