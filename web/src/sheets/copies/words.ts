/** Who could delete a copy, in a word that a narrow column holds. */
export const HOLDERS = {
  source: 'the source',
  target: 'the far box',
  everyday: 'everyday account',
  hand: 'a hand only',
};
