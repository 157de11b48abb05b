/** Which fields of a form mean anything for what stands in it, and what they offer. */

import type { Collection, Plan, PlanState, Schemas } from '../../api/client';
import { decimal, text } from '../../text/format';
import { at, place, type Field, type Plain, type Written } from './values';

export type Form = Schemas['FormView'];
export type Draft = Record<string, Written>;
export interface Option {
  value: string;
  label: string;
}
type Conditions = Schemas['ConditionView'][][];

const filled = (value: Written): boolean =>
  typeof value === 'string' ? value !== '' && value !== '0' : value !== false && (value === true || value.length > 0);

/** Whether one of the conditions holds, by the draft, or by the thing where the form has no such field. */
export function holds(when: Conditions, draft: Draft, item: Plain): boolean {
  if (!when.length) return true;
  return when.some((all) =>
    all.every(({ field, one_of, none_of, filled: full }) => {
      const found = draft[field] ?? ((at(item, field) ?? '') as Written);
      if (full) return filled(found);
      return one_of.length ? one_of.includes(String(found)) : !none_of.includes(String(found));
    }),
  );
}

export const shownIn = (form: Form, draft: Draft, item: Plain): Field[] =>
  form.fields.filter((f) => holds(f.when, draft, item));

/** The way between two sites by their names. */
export const linkName = (plan: Plan, id: string): string => {
  const link = plan.links.find((l) => l.id === id);
  const site = (key: string | undefined) => plan.sites.find((s) => s.id === key)?.name ?? '';
  return link ? `${site(link.a)} – ${site(link.b)}` : id;
};

/** What a thing of the plan is called where it is picked. */
function called(plan: Plan, collection: Collection, item: Plain & { id: string }): string {
  if (collection === 'links') return linkName(plan, item.id);
  if (collection === 'disks') return `${item.label as string} ${text(decimal(item.capacity_bytes as number))}`;
  if (collection === 'exports') return `${item.name as string} (${item.protocol as string})`;
  return (item.name ?? item.label ?? item.login ?? item.id) as string;
}

/** Things of a collection as a field offers them. */
export function offered(field: Field, draft: Draft, item: Plain, { plan, evaluation }: PlanState): Option[] {
  if (!field.names)
    return field.choices
      .filter((c) => holds(c.when, draft, item))
      .map((c) => ({ value: String(c.value), label: c.label }));
  const things = plan[field.names as Collection] as unknown as (Plain & { id: string })[];
  const kinds = new Map(evaluation.kinds.map((k) => [k.id as string, k as unknown as Plain]));
  const fit = (x: Plain) =>
    field.names_own
      ? x[field.names_that] === item.id
      : !field.names_that || !!x[field.names_that] || !!kinds.get(x.kind as string)?.[field.names_that];
  return things
    .filter((x) => x.id !== item.id && fit(x))
    .map((x) => ({ value: x.id, label: called(plan, field.names as Collection, x) }));
}

/** A new thing to begin with: what has to be named is the first that there is. */
export function fresh(form: Form, plan: Plan): Plain {
  let item: Plain = structuredClone(form.fresh);
  for (const field of form.fields) {
    if (!field.names || field.optional || field.kind !== 'select') continue;
    const things = plan[field.names as Collection] as unknown as (Plain & { id: string })[];
    const preferred = field.prefer ? things.find((x) => x[field.prefer] === field.prefer_is) : undefined;
    item = place(item, field.name, (preferred ?? things[0])?.id ?? '');
  }
  return item;
}

/**
 * Clears what means nothing any more: a field that another choice has just hidden, and a choice that
 * another one does not allow.
 */
export function settled(form: Form, next: Plain, draft: Draft, before: Draft, was: Plain, isNew: boolean): Plain {
  let found = next;
  for (const field of form.fields) {
    const shown = holds(field.when, draft, next);
    const lost = !shown && (isNew || holds(field.when, before, was));
    if (lost && (field.blank !== null || field.optional)) found = place(found, field.name, field.blank);
    const mine = field.choices.findIndex((c) => String(c.value) === String(at(found, field.name)));
    if (shown && mine >= 0 && !holds(field.choices[mine]?.when ?? [], draft, next)) {
      const other = [...field.choices.slice(mine), ...field.choices].find((c) => holds(c.when, draft, next));
      if (other) found = place(found, field.name, other.value);
    }
  }
  return found;
}

/** A field with what stands in it, in a few words: what is folded away is still said. */
export function usual(field: Field, value: Written): string {
  // What is an abbreviation stays one.
  const label = /^[A-Z][a-z]/.test(field.label)
    ? field.label.charAt(0).toLowerCase() + field.label.slice(1)
    : field.label;
  if (typeof value === 'boolean') return value ? label : `not ${label}`;
  if (Array.isArray(value)) return value.length ? `${label} ${value.join(', ')}` : `no ${label}`;
  if (value === '') return `no ${label}`;
  const word = field.choices.find((c) => String(c.value) === value)?.label ?? value;
  const unit = field.unit && !field.unit.includes('{') ? ` ${field.unit}` : '';
  return `${label} ${word}${unit}`;
}

/** Those of the folded fields in which something stands, in words. */
export const saidOf = (folded: Field[], draft: Draft): string =>
  folded
    .filter((f) => filled(draft[f.name] ?? ''))
    .map((f) => usual(f, draft[f.name] ?? ''))
    .join(' · ') || 'nothing set';

/** What has to be another in the next of several alike: names and bays count on, serials are empty. */
export function nextOf(draft: Draft): Draft {
  const next: Draft = {};
  for (const name of ['label', 'name', 'login', 'bay']) {
    const value = draft[name];
    if (typeof value !== 'string' || !value) continue;
    const number = /^(.*?)(\d+)$/.exec(value);
    next[name] = number ? `${number[1] ?? ''}${Number(number[2]) + 1}` : `${value} 2`;
  }
  if (typeof draft.serial === 'string') next.serial = '';
  return next;
}
