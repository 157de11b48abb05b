/** Drawings of the open sheet as SVG files that stand alone: colours, hatches and fonts' names go with them. */

/** Narrower ones are signs, not drawings. */
const LEAST = 150;
const STYLES = [
  'fill',
  'fill-opacity',
  'stroke',
  'stroke-width',
  'stroke-dasharray',
  'stroke-opacity',
  'opacity',
  'font-family',
  'font-size',
  'font-weight',
  'text-anchor',
  'dominant-baseline',
  'visibility',
] as const;

export interface Drawn {
  name: string;
  svg: SVGSVGElement;
}

/** Drawings on the page, in order; what has no name is called by its number. */
export function drawings(): Drawn[] {
  const found = [...document.querySelectorAll<SVGSVGElement>('main svg')].filter(
    (svg) => svg.getBoundingClientRect().width >= LEAST,
  );
  return found.map((svg, n) => ({
    svg,
    name: svg.getAttribute('aria-label') ?? svg.querySelector('title')?.textContent ?? `drawing ${n + 1}`,
  }));
}

function settle(from: Element, to: Element): void {
  const style = getComputedStyle(from);
  for (const name of STYLES) {
    const value = style.getPropertyValue(name);
    if (value) to.setAttribute(name, value);
  }
  to.removeAttribute('class');
  to.removeAttribute('style');
  [...from.children].forEach((child, n) => {
    const twin = to.children[n];
    if (twin) settle(child, twin);
  });
}

/** The drawing as the text of an SVG file, on paper of the present colour. */
export function asFile({ svg, name }: Drawn): string {
  const twin = svg.cloneNode(true) as SVGSVGElement;
  settle(svg, twin);
  const { width, height } = svg.getBoundingClientRect();
  if (!twin.hasAttribute('viewBox')) twin.setAttribute('viewBox', `0 0 ${width} ${height}`);
  twin.setAttribute('xmlns', 'http://www.w3.org/2000/svg');
  twin.setAttribute('width', String(Math.round(width)));
  twin.setAttribute('height', String(Math.round(height)));
  const box = twin.viewBox.baseVal;
  const paper = document.createElementNS('http://www.w3.org/2000/svg', 'rect');
  const at = { x: box.x, y: box.y, width: box.width, height: box.height };
  Object.entries(at).forEach(([key, value]) => paper.setAttribute(key, String(value)));
  paper.setAttribute('fill', getComputedStyle(document.documentElement).getPropertyValue('--paper').trim());
  twin.prepend(paper);
  // Hatches are drawn once for the whole page; those that are used go along.
  const used = new Set([...twin.outerHTML.matchAll(/url\((?:&quot;|")?#([\w-]+)/g)].map((m) => m[1] ?? ''));
  const defs = document.createElementNS('http://www.w3.org/2000/svg', 'defs');
  for (const id of used) {
    const hatch = document.getElementById(id);
    if (!hatch || svg.contains(hatch)) continue;
    const copy = hatch.cloneNode(true) as Element;
    settle(hatch, copy);
    defs.append(copy);
  }
  if (defs.childElementCount) twin.prepend(defs);
  const title = document.createElementNS('http://www.w3.org/2000/svg', 'title');
  title.textContent = name;
  twin.prepend(title);
  return new XMLSerializer().serializeToString(twin);
}

/** Hands a file to the browser to keep. */
export function save(content: string, name: string, type: string): void {
  const address = URL.createObjectURL(new Blob([content], { type }));
  const link = document.createElement('a');
  link.href = address;
  link.download = name;
  link.click();
  URL.revokeObjectURL(address);
}
