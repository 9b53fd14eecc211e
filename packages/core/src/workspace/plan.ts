import { showDuration } from '../rules';
import { counted } from '../words';

/** Anything that a workspace file names, by its fields. */
export type Entry = Readonly<Record<string, unknown>>;
/** The parts of a workspace file that are lists, in the order in which they are made; deleted is the other way round. */
export const FILE_PARTS = [
  'kinds',
  'webhooks',
  'devices',
  'dashboards',
  'rules',
  'timetables',
  'grants',
  'links',
] as const;
export type FilePart = (typeof FILE_PARTS)[number];
/** A workspace file as it is read: what it does not name is not touched. */
export type WorkspaceFile = { workspace?: Entry | undefined } & {
  [P in FilePart]?: readonly Entry[] | undefined;
};

/** What one step of a plan is about. */
export type StepWhat =
  | 'workspace'
  | 'kind'
  | 'datastream'
  | 'webhook'
  | 'device'
  | 'dashboard'
  | 'rule'
  | 'timetable'
  | 'grant'
  | 'link';
export interface FieldChange {
  field: string;
  from: unknown;
  to: unknown;
}
/** One thing that applying a file makes (+), changes (~) or deletes (-). */
export interface PlanStep {
  sign: '+' | '~' | '-';
  what: StepWhat;
  name: string;
  /** The kind of a datastream. */
  within?: string;
  fields: FieldChange[];
  /** Readings that a deletion takes along. */
  readings?: number;
}
export interface Plan {
  steps: PlanStep[];
  /** What is there and not in the file, and stays: nothing is deleted unless that is asked for. */
  stays: { what: StepWhat; name: string; within?: string }[];
}

const WHAT: Record<FilePart, StepWhat> = {
  kinds: 'kind',
  webhooks: 'webhook',
  devices: 'device',
  dashboards: 'dashboard',
  rules: 'rule',
  timetables: 'timetable',
  grants: 'grant',
  links: 'link',
};

/** Fields that tell an entry of a part from the others: they stand in its name. */
const KNOWN_BY: Record<FilePart, readonly string[]> = {
  kinds: ['name'],
  webhooks: ['name'],
  devices: ['id'],
  dashboards: ['name'],
  rules: ['name'],
  timetables: ['device', 'title'],
  grants: ['person', 'sort', 'target'],
  links: ['name'],
};

/** By what an entry is known in its part. */
export function nameIn(part: FilePart, entry: Entry): string {
  if (part === 'devices') return String(entry.id);
  if (part === 'grants')
    return `${entry.person as string}: ${entry.sort as string} ${entry.target as string}`;
  if (part === 'timetables') return `${entry.device as string}: ${entry.title as string}`;
  return String(entry.name);
}

/** What applying a file would do to a workspace as it is. Both with every field filled in. */
export function planChanges(now: WorkspaceFile, wanted: WorkspaceFile, deletes: boolean): Plan {
  const steps: PlanStep[] = [];
  const stays: Plan['stays'] = [];
  if (wanted.workspace !== undefined) {
    const fields = changesOf(now.workspace ?? {}, wanted.workspace);
    if (fields.length > 0)
      steps.push({ sign: '~', what: 'workspace', name: String(wanted.workspace.title), fields });
  }
  const gone: PlanStep[] = [];
  for (const part of FILE_PARTS) {
    const list = wanted[part];
    if (list === undefined) continue;
    const what = WHAT[part];
    const there = new Map((now[part] ?? []).map((entry) => [nameIn(part, entry), entry]));
    for (const entry of list) {
      const name = nameIn(part, entry);
      const before = there.get(name);
      there.delete(name);
      if (before === undefined)
        steps.push({ sign: '+', what, name, fields: changesOf({}, entry, KNOWN_BY[part]) });
      else {
        const fields = changesOf(before, entry, part === 'kinds' ? ['streams'] : []);
        if (fields.length > 0) steps.push({ sign: '~', what, name, fields });
        if (part === 'kinds') planStreams(name, before, entry);
      }
    }
    for (const [name] of there) leave({ sign: '-', what, name, fields: [] });
  }
  // What is deleted goes last, what was made last first.
  return { steps: [...steps, ...gone.reverse()], stays };

  function leave(step: PlanStep): void {
    const { what, name, within } = step;
    if (deletes) gone.push(step);
    else stays.push({ what, name, ...(within !== undefined && { within }) });
  }
  function planStreams(within: string, before: Entry, after: Entry): void {
    const of = (entry: Entry): Map<string, Entry> =>
      new Map(((entry.streams ?? []) as Entry[]).map((one) => [String(one.key), one]));
    const there = of(before);
    for (const [name, stream] of of(after)) {
      const known = there.get(name);
      there.delete(name);
      const fields = changesOf(known ?? {}, stream, known === undefined ? ['key'] : []);
      if (fields.length > 0)
        steps.push({ sign: known === undefined ? '+' : '~', what: 'datastream', name, within, fields });
    }
    for (const [name] of there) leave({ sign: '-', what: 'datastream', name, within, fields: [] });
  }
}

/** Fields that differ between two entries; of a new one all that say something. */
function changesOf(before: Entry, after: Entry, except: readonly string[] = []): FieldChange[] {
  const isNew = Object.keys(before).length === 0;
  return Object.keys(after).flatMap((field): FieldChange[] => {
    const [from, to] = [before[field] ?? null, after[field] ?? null];
    if (except.includes(field) || isSame(from, to) || (isNew && isNothing(to))) return [];
    return [{ field, from, to }];
  });
}

const isNothing = (value: unknown): boolean =>
  value === null || value === '' || value === false || (Array.isArray(value) && value.length === 0);

/** Values that mean the same: whatever order the fields stand in, and nothing said is null. */
function isSame(a: unknown, b: unknown): boolean {
  return canonical(a) === canonical(b);
}

function canonical(value: unknown): string {
  if (Array.isArray(value)) return `[${value.map(canonical).join()}]`;
  if (typeof value === 'object' && value !== null)
    return `{${Object.entries(value)
      .filter(([, one]) => one !== undefined && one !== null)
      .sort(([x], [y]) => (x < y ? -1 : 1))
      .map(([name, one]) => `${name}:${canonical(one)}`)
      .join()}}`;
  return JSON.stringify(value ?? null);
}

const LONGEST_SHOWN = 60;

/** A value as a plan shows it: short, on one line; times and lengths of time in words, by the name of their field. */
export function showField(value: unknown, field = ''): string {
  if (typeof value === 'number' && field.endsWith('Ms')) return showDuration(value);
  if (typeof value === 'number' && /(At|^at|^from|^until)$/.test(field) && value > 1e11)
    return new Date(value).toISOString().slice(0, 16).replace('T', ' ');
  if (value === null || value === undefined || value === '') return 'nothing';
  if (Array.isArray(value) && value.length === 0) return 'nothing';
  if (Array.isArray(value) && value.some((one) => typeof one === 'object'))
    return counted(value.length, 'entry', 'entries');
  const text = typeof value === 'string' ? value : JSON.stringify(value);
  return text.length > LONGEST_SHOWN ? `${text.slice(0, LONGEST_SHOWN)} …` : text;
}

/** A step in a sentence: "Changes the datastream level of Dipwell: max from 200 to 300." */
export function sayStep({ sign, what, name, within, fields, readings }: PlanStep): string {
  const thing = `the ${what} ${name}${within === undefined ? '' : ` of ${within}`}`;
  if (sign === '+') return `Makes ${thing}.`;
  if (sign === '-')
    return `Deletes ${thing}${readings === undefined ? '' : ` with ${counted(readings, 'reading')}`}.`;
  return `Changes ${thing}: ${fields.map(({ field, from, to }) => `${field} from ${showField(from, field)} to ${showField(to, field)}`).join('; ')}.`;
}

/** The lines of a plan, as a terminal or page shows them: the sign first. */
export function planLines({ steps }: Pick<Plan, 'steps'>): string[] {
  return steps.flatMap((step) => {
    const { sign, what, name, within, fields, readings } = step;
    const head = `${sign} ${what} ${within === undefined ? '' : `${within} / `}${name}${readings === undefined ? '' : `  (${counted(readings, 'reading')} go along)`}`;
    return [
      head,
      ...fields.map(({ field, from, to }) =>
        sign === '+'
          ? `    ${field}: ${showField(to, field)}`
          : `    ${field}: ${showField(from, field)} → ${showField(to, field)}`,
      ),
    ];
  });
}
