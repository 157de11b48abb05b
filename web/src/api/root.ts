const said = document.querySelector<HTMLMetaElement>('meta[name="root"]');

/** Where this page is served: `/`, or the path that a proxy serves it under; the page itself says it. */
export const ROOT = said?.content ?? '/';

/** A path of the server, such as `/api/plans`, from where the page is served. */
export const at = (path: string): string => ROOT + path.replace(/^\//, '');
