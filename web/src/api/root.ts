/** Where this page is served: `/`, or the path that a proxy serves it under. */

export const ROOT = new URL('.', document.baseURI).pathname;

/** A path of the server, such as `/api/plans`, from where the page is served. */
export const at = (path: string): string => ROOT + path.replace(/^\//, '');
