/** A key for something new in a list: its number, and some of its words. */
export const keyOf = (there: number, words: string) =>
  `${there + 1}-${words
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .slice(0, 40)}`;
