/** What somebody called a thing, as the name it has in a case file: "Rinse, 2nd" is rinse_2nd. */
export const idOf = (words: string): string =>
  words
    .trim()
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "_")
    .replace(/^_|_$/g, "");
