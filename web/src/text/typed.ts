/** What is typed letter by letter stands between marks in a sentence of the papers; see kavrel/core/typed.py. */

const TYPED = /(?<![^\s(])`([^`\s](?:[^`]*[^`\s])?)`(?![^\s).,;:])/;

/** The sentence cut where what is typed begins and ends: every second piece, from the second on, is that. */
export const pieces = (text: string): string[] => text.split(TYPED);

/** The sentence without its marks, for a name that is read aloud. */
export const unmarked = (text: string): string => pieces(text).join('');
