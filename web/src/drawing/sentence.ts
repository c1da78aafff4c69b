/** Sentences of readouts: what is asked for stands in braces. */

/** A template filled in. A part between commas goes where all that it names is empty; elsewhere an
 * ellipsis stands for what is empty. `drawn`: "in a box" instead of "at {place}". */
export function sentenceOf(template: string, drawn: string, told: (asked: string) => string): string {
  const whole = drawn
    ? template.replace(/(at|in) {place}/, drawn).replace(/, weighted by .*$/, "")
    : template;
  return whole
    .split(", ")
    .filter((part, k) => {
      const asked = [...part.matchAll(/{(.+?)}/g)].map((m) => told(m[1]!));
      return k === 0 || !asked.length || asked.some(Boolean);
    })
    .join(", ")
    .replace(/{(.+?)}/g, (_, asked: string) => told(asked) || "\u2026");
}
