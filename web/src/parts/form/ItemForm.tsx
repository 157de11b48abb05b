/**
 * One editor for every thing of a plan, made from the form that the server describes.
 *
 * What is there saves itself when a field is left; what is new is added with a button. A refused
 * field keeps what was typed and says beside it what would be right.
 */

import { useEffect, useRef, useState } from 'react';
import { useForm, useWatch } from 'react-hook-form';
import { useFormOf } from '../../api/forms';
import { Refused, type Collection, type Items } from '../../api/client';
import { useChange, usePlan, type Edit } from '../../api/plan';
import { useMay } from '../../api/visitor';
import { OVERLAID } from '../../api/queue';
import { FieldRow } from './FieldRow';
import { nextOf, offered, saidOf, settled, shownIn, type Draft, type Form, type Option } from './fields';
import { at, place, read, write, type Field, type Plain, type Written } from './values';

const ROWS = 'grid grid-cols-[130px_1fr] items-start gap-x-3 gap-y-1.5';

/** The library takes dots for paths of its own. */
const keyed = (name: string) => name.replaceAll('.', '/');
const named = (key: string) => key.replaceAll('/', '.');
const same = (a: Written | undefined, b: Written | undefined) => String(a) === String(b);

const drafted = (form: Form, item: Plain, currency: string): Draft =>
  Object.fromEntries(form.fields.map((f) => [keyed(f.name), write(f, at(item, f.name), currency)]));
const byName = (draft: Draft): Draft => Object.fromEntries(Object.entries(draft).map(([k, v]) => [named(k), v]));

export function ItemForm<C extends Collection>({
  collection,
  item,
  isNew,
  form: given,
  options = {},
  shape = (x) => x,
  onDone,
}: {
  collection: C;
  item: Items[C];
  isNew: boolean;
  /** Another form than the collection's own, where one asks for it differently. */
  form?: Form;
  /** What a field offers where the plan alone does not say it. */
  options?: Record<string, Option[]>;
  /** Last touch before sending. */
  shape?: (item: Items[C]) => Items[C];
  onDone: () => void;
}) {
  const state = usePlan();
  const { plan, meta } = state;
  const own = useFormOf(collection).form;
  const form = given ?? own;
  const change = useChange();
  const may = useMay(collection);
  const base = useRef(item as unknown as Plain);
  const seen = useRef(meta.revision);
  const [first] = useState(() => drafted(form, item as unknown as Plain, plan.currency));
  const saved = useRef(first);
  /** What is on its way: the same is not sent twice while nobody answers. */
  const sending = useRef<Draft | null>(null);
  const { control, getValues, setValue, setError, clearErrors, reset, formState } = useForm<Draft>({
    defaultValues: first,
  });
  const draft = byName(useWatch({ control }) as Draft);
  const { errors } = formState;
  const [general, setGeneral] = useState('');
  const [conflict, setConflict] = useState(false);
  const element = useRef<HTMLFormElement>(null);
  const complaints = `${general}|${Object.values(errors)
    .map((e) => e?.message)
    .join('|')}`;
  useEffect(() => {
    // What was refused may stand above or below what is seen of a long form.
    if (complaints !== '|') element.current?.querySelector('[role="alert"]')?.scrollIntoView({ block: 'nearest' });
  }, [complaints]);

  const [again, setAgain] = useState(0);
  const save = async (revision = seen.current, oneMore = false) => {
    const written = getValues();
    const now = byName(written);
    const before = byName(saved.current);
    const touched = shownIn(form, now, base.current).filter((f) => isNew || !same(now[f.name], before[f.name]));
    if (!isNew && !touched.length) return;
    const under = sending.current;
    if (under && touched.every((f) => same(now[f.name], under[f.name]))) return;
    const values: [string, unknown][] = [];
    let wrong = false;
    clearErrors();
    setGeneral('');
    for (const field of touched) {
      try {
        values.push([field.name, await read(field, now[field.name] ?? '', plan.currency)]);
      } catch (error) {
        wrong = true;
        setError(keyed(field.name), { message: (error as Error).message });
      }
    }
    if (wrong) return;
    // What was not touched stays exactly as it is, and as the edit before this one left it.
    const made = () => {
      const typed = values.reduce((found, [name, value]) => place(found, name, value), base.current);
      return shape(settled(form, typed, now, before, base.current, isNew) as unknown as Items[C]);
    };
    sending.current = now;
    change.mutate(
      {
        edit: () =>
          (isNew
            ? { do: 'add', collection, item: { ...made(), id: undefined } }
            : { do: 'put', collection, item: made() }) as Edit,
        seen: revision,
      },
      {
        onSettled: () => {
          if (sending.current === now) sending.current = null;
        },
        onSuccess: (result) => {
          base.current = made();
          seen.current = result.meta.revision;
          saved.current = { ...saved.current, ...written };
          setConflict(false);
          if (isNew && oneMore) {
            // The same once more: what has to be another is the next one.
            base.current = item;
            for (const [name, value] of Object.entries(nextOf(byName(written)))) setValue(keyed(name), value);
            setAgain((n) => n + 1);
          } else if (isNew) onDone();
        },
        onError: (error) => {
          if (!(error instanceof Refused)) return;
          setConflict(error.conflict);
          const rest: string[] = [];
          let found = false;
          for (const { field, message } of error.problem.errors) {
            const spec = form.fields.find((f) => field === f.name || field.startsWith(`${f.name}.`));
            if (spec) setError(keyed(spec.name), { message });
            else rest.push(message);
            found ||= spec !== undefined;
          }
          setGeneral(rest.join('; ') || (found ? '' : error.problem.detail));
        },
      },
    );
  };

  // Without a network what was done at the rack waits and stands in its list: the form has done its part.
  const letGo = isNew && change.waits && OVERLAID.has(collection);
  const done = useRef(onDone);
  useEffect(() => {
    done.current = onDone;
  });
  useEffect(() => {
    if (letGo) done.current();
  }, [letGo]);

  const more = useRef(save);
  useEffect(() => {
    more.current = save;
  });
  useEffect(() => {
    const form = element.current;
    const press = (e: KeyboardEvent) => {
      if (!isNew || e.key !== 'Enter' || !e.shiftKey) return;
      e.preventDefault();
      void more.current(undefined, true);
    };
    form?.addEventListener('keydown', press);
    return () => form?.removeEventListener('keydown', press);
  }, [isNew]);

  const current = () => (plan[collection] as Items[Collection][]).find((x) => x.id === item.id);
  const keepMine = () => {
    // Only the fields touched here go over theirs; what they changed elsewhere stays.
    const theirs = current();
    if (theirs) base.current = theirs;
    const head = change.error instanceof Refused ? (change.error.problem.head ?? 0) : 0;
    void save(Math.max(meta.revision, head));
  };
  const takeTheirs = () => {
    const theirs = current();
    if (!theirs) {
      onDone();
      return;
    }
    base.current = theirs;
    saved.current = drafted(form, base.current, plan.currency);
    seen.current = meta.revision;
    reset(saved.current);
    setConflict(false);
    setGeneral('');
  };

  const shown = shownIn(form, draft, item);
  // What is other than usual, or was refused, is not folded away.
  const below = (f: Field) =>
    f.folded && !errors[keyed(f.name)] && same(first[keyed(f.name)], write(f, f.start, plan.currency));
  const folded = shown.filter(below);
  const row = (field: Field) => (
    <FieldRow
      key={field.name}
      field={field}
      options={options[field.name] ?? offered(field, draft, item, state)}
      value={draft[field.name] ?? ''}
      wrong={errors[keyed(field.name)]?.message}
      onChange={(value) => setValue(keyed(field.name), value)}
      onCommit={() => !isNew && !conflict && void save()}
    />
  );
  return (
    <form
      ref={element}
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        void save();
      }}
    >
      {general && (
        <div role="alert" className="mb-2 border border-danger bg-blush px-2 py-1 text-danger">
          {general}
          {conflict && (
            <div className="mt-1 flex gap-2">
              <button type="button" className="act" onClick={keepMine}>
                keep mine
              </button>
              <button type="button" className="act" onClick={takeTheirs}>
                take theirs
              </button>
            </div>
          )}
        </div>
      )}
      <fieldset disabled={!may}>
        <div className={ROWS}>{shown.filter((f) => !below(f)).map(row)}</div>
      </fieldset>
      {folded.length > 0 && (
        <details className="mt-2 border-t border-hair pt-1">
          <summary className="cursor-pointer">
            {folded.length} more, as usual: <span className="text-quiet">{saidOf(folded, draft)}</span>
          </summary>
          <fieldset disabled={!may} className={`mt-1.5 ${ROWS}`}>
            {folded.map(row)}
          </fieldset>
        </details>
      )}
      <div className="mt-4 flex gap-2">
        {!may ? (
          <p className="text-quiet">You read here: a planner changes this.</p>
        ) : isNew ? (
          <>
            <button className="act font-semibold" type="submit" disabled={change.isPending}>
              add
            </button>
            <button
              className="act"
              type="button"
              disabled={change.isPending}
              onClick={() => void save(undefined, true)}
            >
              add, and same again <span className="unit">⇧Enter</span>
            </button>
            {change.waits && (
              <span role="status" className="unit self-center">
                not saved yet: it waits on this device
              </span>
            )}
            {again > 0 && (
              <span role="status" className="unit self-center">
                {again} added
              </span>
            )}
          </>
        ) : (
          <>
            <span className="unit flex-1 self-center" role="status">
              {change.waits
                ? 'not saved yet'
                : change.isPending
                  ? 'saving'
                  : change.isSuccess
                    ? 'saved'
                    : 'saves itself'}
            </span>
            <button
              data-for="plans"
              type="button"
              className="act text-danger"
              onClick={() =>
                change.mutate(
                  { edit: { do: 'remove', collection, id: item.id } },
                  { onSuccess: onDone, onError: (e) => setGeneral(e.message) },
                )
              }
            >
              remove
            </button>
          </>
        )}
      </div>
    </form>
  );
}
