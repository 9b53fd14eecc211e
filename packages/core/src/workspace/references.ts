import { nearestWord } from './names';
import type { Entry, FilePart, WorkspaceFile } from './plan';

/** A name in a workspace file that nothing has: where it stands, and what to do. */
export interface WrongName {
  /** devices[3].kind */
  field: string;
  reason: string;
  remedy: string;
}

/** More are not told at once. */
const MOST_TOLD = 20;

/**
 * Names in a file that nothing bears, neither in the file nor in the workspace (`now`, and `people`, who are never in a file).
 * At most 20, each with the nearest name that there is.
 */
export function wrongNames(
  now: WorkspaceFile,
  wanted: WorkspaceFile,
  people: readonly string[],
): WrongName[] {
  const namesIn = (part: FilePart, by: 'name' | 'id'): Set<string> =>
    new Set([...(now[part] ?? []), ...(wanted[part] ?? [])].map((entry) => String(entry[by])));
  const known: Record<Named, Set<string>> = {
    kind: namesIn('kinds', 'name'),
    device: namesIn('devices', 'id'),
    dashboard: namesIn('dashboards', 'name'),
    webhook: namesIn('webhooks', 'name'),
    person: new Set(people),
  };
  // What names something that was deleted long ago, as a widget may, is no mistake of the file.
  eachReference(now, (what, name) => known[what].add(name));
  const wrong: WrongName[] = [];
  eachReference(wanted, (what, name, field) => {
    if (known[what].has(name) || wrong.length >= MOST_TOLD) return;
    const nearest = nearestWord(name, [...known[what]]);
    wrong.push({
      field,
      reason: `"${name}" is not a ${what} of this workspace${what === 'person' ? '' : ' or of the file'}`,
      remedy:
        nearest === undefined
          ? what === 'person'
            ? 'Correct the name, or add the person first.'
            : 'Correct the name.'
          : `The nearest is "${nearest}".`,
    });
  });
  return wrong;
}

type Named = 'kind' | 'device' | 'dashboard' | 'webhook' | 'person';

/** Everywhere that a file names something. */
function eachReference(file: WorkspaceFile, see: (what: Named, name: string, field: string) => void): void {
  const look = (what: Named, name: unknown, field: string): void => {
    if (typeof name === 'string') see(what, name, field);
  };
  const each = (part: FilePart, of: (entry: Entry, field: string) => void): void =>
    file[part]?.forEach((entry, i) => of(entry, `${part}[${i}]`));
  const all = (list: unknown, of: (one: unknown, i: number) => void): void => {
    if (Array.isArray(list)) list.forEach(of);
  };

  each('devices', ({ kind, gateway, dashboard }, field) => {
    look('kind', kind, `${field}.kind`);
    look('device', gateway, `${field}.gateway`);
    look('dashboard', dashboard, `${field}.dashboard`);
  });
  each('dashboards', ({ kind, widgets }, field) => {
    look('kind', kind, `${field}.kind`);
    all(widgets, (widget, i) =>
      all((widget as Entry).sources, (source, j) =>
        look('device', (source as Entry).device, `${field}.widgets[${i}].sources[${j}].device`),
      ),
    );
  });
  each('rules', (rule, field) => {
    look('kind', rule.kind, `${field}.kind`);
    look('device', rule.deviceId, `${field}.deviceId`);
    look('person', rule.escalateTo, `${field}.escalateTo`);
    all(rule.people, (name, i) => look('person', name, `${field}.people[${i}]`));
    all(rule.webhooks, (name, i) => look('webhook', name, `${field}.webhooks[${i}]`));
  });
  each('timetables', ({ device }, field) => look('device', device, `${field}.device`));
  each('grants', ({ person, sort, target }, field) => {
    look('person', person, `${field}.person`);
    if (sort === 'device' || sort === 'dashboard') look(sort, target, `${field}.target`);
  });
  each('links', ({ dashboard, deviceId }, field) => {
    look('dashboard', dashboard, `${field}.dashboard`);
    look('device', deviceId, `${field}.deviceId`);
  });
}
