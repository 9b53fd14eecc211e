import { nameIn, type Entry, type FilePart, type PlanStep } from '@peatmoor/core';
import { streamSchema, type Applied, type EndpointName, type WorkspaceDocument } from '@peatmoor/contract';
import type { Call, Handlers } from './context';
import type { Scope } from './scope';
import { ProblemError, wrongField } from '../problems';
import type { PutOff } from '../history/deleting';
import { changeIn, findOne, oneIn } from '../store/rows';
import type { Store } from '../store/store';
import { readDocument, type Named } from './fileDocument';

/** What a step is done with: the calls of the API, as whoever applies the file would make them. */
export interface Doing {
  store: Store;
  handlers: Handlers;
  scope: Scope;
  request: Call<never>['request'];
  response: Call<never>['response'];
  /** Devices that are deleted all at once, after the last of them. */
  putOff: PutOff;
}

/**
 * Does the steps of a plan, in order, each by the call that a person would make: what the API refuses is refused here, with the
 * place in the file. Gives what is told only once.
 */
export async function doSteps(
  doing: Doing,
  document: WorkspaceDocument,
  steps: readonly PlanStep[],
): Promise<Applied['given']> {
  const { store, handlers, scope, request, response, putOff } = doing;
  const { models } = store;
  const { workspaceId } = scope;
  const given: Applied['given'] = [];
  let known: Named = await readDocument(store, scope);
  const call = <N extends EndpointName>(
    name: N,
    input: { params?: Record<string, string>; body?: unknown } = {},
  ): Promise<never> =>
    (handlers[name] as (call: unknown) => Promise<never>)({
      scope,
      params: {},
      query: {},
      body: {},
      ...input,
      request,
      response,
    });
  const entry = (part: FilePart, name: string): Entry =>
    (document[part] ?? []).find((one) => nameIn(part, one) === name)!;
  const idOf = (map: Map<string, number>, name: unknown, field: string, what: string): number => {
    const id = map.get(String(name));
    if (id !== undefined) return id;
    throw wrongField(
      field,
      `"${String(name)}" is not a ${what} of this workspace or of the file`,
      'Correct the name.',
    );
  };
  const kindId = (name: unknown, field: string): number | null =>
    name === null ? null : idOf(known.kinds, name, field, 'kind');
  const boardId = (name: unknown, field: string): number | null =>
    name === null ? null : idOf(known.dashboards, name, field, 'dashboard');
  const person = (name: unknown, field: string): number => idOf(known.people, name, field, 'person');

  const ruleBody = (one: Entry, field: string): object => {
    const { name, kind, people, webhooks, escalateTo, ...rest } = one as Record<string, unknown>;
    return {
      ...rest,
      title: titleOf(String(name)),
      kindId: kindId(kind, `${field}.kind`),
      people: (people as string[]).map((who) => person(who, `${field}.people`)),
      webhooks: (webhooks as string[]).map((hook) =>
        idOf(known.webhooks, hook, `${field}.webhooks`, 'webhook'),
      ),
      escalateTo: escalateTo === null ? null : person(escalateTo, `${field}.escalateTo`),
    };
  };
  const boardBody = (one: Entry, field: string): object => {
    const { name, kind, ...rest } = one as Record<string, unknown>;
    return { ...rest, title: titleOf(String(name)), kindId: kindId(kind, `${field}.kind`) };
  };
  const calibrate = async (id: string, wanted: readonly Entry[]): Promise<void> => {
    const device = (await oneIn(models.devices, workspaceId, { id }))!;
    const keptRows = (await call('listCalibrations', {
      params: { device: id },
      body: undefined,
    })) as unknown as {
      id: number;
      stream: string;
      from: number | null;
      calibration: unknown;
    }[];
    const mark = ({ stream, from, calibration }: Entry): string =>
      JSON.stringify([stream, from, calibration]);
    const left = new Set(wanted.map(mark));
    for (const row of keptRows)
      if (!left.delete(mark(row as unknown as Entry)))
        await call('deleteCalibration', { params: { device: device.id, calibration: String(row.id) } });
    for (const one of wanted)
      if (left.has(mark(one)))
        await call('createCalibration', { params: { device: id }, body: { ...one, captured: null } });
  };

  const make: Partial<Record<PlanStep['what'], (step: PlanStep, field: string) => Promise<unknown>>> = {
    kind: async ({ name }) => {
      const { name: title, ...rest } = entry('kinds', name);
      await call('createKind', { body: { ...rest, title: titleOf(String(title)) } });
    },
    datastream: async ({ name, within }) => {
      const kind = entry('kinds', within!);
      const stream = (kind.streams as Entry[]).find(({ key }) => key === name);
      await call('createStream', {
        params: { kind: String(known.kinds.get(within!)) },
        body: streamSchema.cast(stream),
      });
    },
    webhook: async ({ name }) => {
      const { url, template } = entry('webhooks', name);
      const made = (await call('createWebhook', { body: { title: titleOf(name), url, template } })) as {
        secret: string;
      };
      given.push({ what: 'webhook', name, secret: made.secret });
    },
    device: async ({ name: id }, field) => {
      const one = entry('devices', id);
      const made = (await call('createDevice', {
        body: {
          id,
          name: one.name,
          kindId: kindId(one.kind, `${field}.kind`),
          labels: one.labels,
          ...(one.gateway !== null && { gateway: one.gateway }),
          ...(one.serial !== null && { serial: one.serial }),
        },
      })) as { token: string };
      given.push({ what: 'device', name: id, secret: made.token });
      await call('changeDevice', { params: { device: id }, body: { place: one.place, notes: one.notes } });
      if ((one.calibrations as Entry[]).length > 0) await calibrate(id, one.calibrations as Entry[]);
    },
    dashboard: ({ name }, field) =>
      call('createDashboard', { body: boardBody(entry('dashboards', name), field) }),
    rule: ({ name }, field) => call('createRule', { body: ruleBody(entry('rules', name), field) }),
    timetable: ({ name }) => {
      const { device, ...body } = entry('timetables', name);
      return call('createTimetable', {
        params: { device: String(device) },
        body: { ...body, title: titleOf(String(body.title)) },
      });
    },
    grant: ({ name }, field) => {
      const { person: who, role, sort, target } = entry('grants', name);
      return call('createGrant', {
        body: {
          userId: person(who, `${field}.person`),
          role,
          sort,
          target: sort === 'dashboard' ? String(boardId(target, `${field}.target`)) : target,
        },
      });
    },
    link: async ({ name }, field) => {
      const { name: _name, dashboard, ...rest } = entry('links', name);
      const made = (await call('createLink', {
        body: {
          ...rest,
          title: titleOf(name),
          dashboardId: boardId(dashboard, `${field}.dashboard`),
          passphrase: null,
        },
      })) as { address: string };
      given.push({ what: 'link', name, secret: made.address });
    },
  };
  const change: Partial<Record<PlanStep['what'], (step: PlanStep, field: string) => Promise<unknown>>> = {
    workspace: () => {
      const { title, zone, place } = document.workspace as Record<string, unknown>;
      return call('changeWorkspace', { body: { title, zone, place } });
    },
    kind: ({ name, fields }) =>
      call('changeKind', {
        params: { kind: String(known.kinds.get(name)) },
        body: Object.fromEntries(fields.map(({ field, to }) => [field, to])),
      }),
    datastream: async ({ name, within }) => {
      const stream = (entry('kinds', within!).streams as Entry[]).find(({ key }) => key === name);
      await call('changeStream', {
        params: { kind: String(known.kinds.get(within!)), stream: name },
        body: streamSchema.cast(stream),
      }).catch((error: unknown) => {
        const asked =
          error instanceof ProblemError ? error.errors?.find(({ field }) => field === 'past') : undefined;
        if (asked === undefined) throw error;
        // A file cannot say what becomes of what is there already.
        throw wrongField(
          'unit',
          asked.reason,
          `Change it first where it asks: on the page of the kind, or by peatmoor stream change "${within}" ${name} --unit … --past convert. Then apply the file.`,
        );
      });
    },
    webhook: ({ name, fields }) =>
      changeIn(
        models.webhooks,
        workspaceId,
        { id: known.webhooks.get(name)! },
        Object.fromEntries(fields.map(({ field, to }) => [field, to])),
      ),
    device: async ({ name: id, fields }, field) => {
      const one = entry('devices', id);
      const changed = new Set(fields.map((each) => each.field));
      for (const fixed of ['gateway', 'serial'])
        if (changed.has(fixed))
          throw wrongField(
            `${field}.${fixed}`,
            'cannot be changed',
            'Delete the sub-device and make it again.',
          );
      if (changed.has('kind'))
        await call('moveDevices', {
          params: { kind: String(kindId(one.kind, `${field}.kind`)) },
          body: { devices: [id] },
        });
      const body = Object.fromEntries(
        (['name', 'labels', 'place', 'notes'] as const).flatMap((each) =>
          changed.has(each) ? [[each, one[each]]] : [],
        ),
      );
      if (Object.keys(body).length > 0) await call('changeDevice', { params: { device: id }, body });
      if (changed.has('calibrations')) await calibrate(id, one.calibrations as Entry[]);
    },
    dashboard: async ({ name }, field) => {
      const id = known.dashboards.get(name)!;
      const { version } = (await oneIn(models.dashboards, workspaceId, { id }))!;
      await call('changeDashboard', {
        params: { dashboard: String(id) },
        body: { ...boardBody(entry('dashboards', name), field), version },
      });
    },
    rule: ({ name }, field) =>
      call('changeRule', {
        params: { rule: String(known.rules.get(name)) },
        body: ruleBody(entry('rules', name), field),
      }),
    timetable: async ({ name }) => {
      const { device: _device, ...body } = entry('timetables', name);
      await call('changeTimetable', {
        params: { timetable: String(known.timetables.get(name)) },
        body: { ...body, title: titleOf(String(body.title)) },
      });
    },
    grant: (step, field) => make.grant!(step, field),
    link: async ({ name, fields }, field) => {
      for (const { field: fixed } of fields)
        if (['sort', 'dashboard', 'widgetId', 'deviceId'].includes(fixed))
          throw wrongField(
            `${field}.${fixed}`,
            'cannot be changed',
            'Make another link, and withdraw this one.',
          );
      await call('changeLink', {
        params: { link: String(known.links.get(name)) },
        body: Object.fromEntries(fields.map(({ field: each, to }) => [each, to])),
      });
    },
  };
  const remove: Partial<Record<PlanStep['what'], (step: PlanStep) => Promise<unknown>>> = {
    kind: ({ name }) => call('deleteKind', { params: { kind: String(known.kinds.get(name)) } }),
    datastream: ({ name, within }) =>
      call('deleteStream', { params: { kind: String(known.kinds.get(within!)), stream: name } }),
    webhook: ({ name }) => call('deleteWebhook', { params: { webhook: String(known.webhooks.get(name)) } }),
    device: ({ name }) => call('deleteDevice', { params: { device: name } }),
    dashboard: ({ name }) =>
      call('deleteDashboard', { params: { dashboard: String(known.dashboards.get(name)) } }),
    rule: ({ name }) => call('deleteRule', { params: { rule: String(known.rules.get(name)) } }),
    timetable: ({ name }) =>
      call('deleteTimetable', { params: { timetable: String(known.timetables.get(name)) } }),
    grant: ({ name }) => call('deleteGrant', { params: { grant: String(known.grants.get(name)) } }),
    link: ({ name }) => call('deleteLink', { params: { link: String(known.links.get(name)) } }),
  };
  let before = '';
  for (const step of inOrder(document, steps)) {
    if (step.what !== before) await putOff.settle();
    // Names of what was just made are known to what follows.
    if (step.what !== before) known = await readDocument(store, scope);
    before = step.what;
    const field = placeOf(document, step);
    try {
      await { '+': make, '~': change, '-': remove }[step.sign][step.what]!(step, field);
    } catch (error) {
      throw placed(error, field, step);
    }
  }
  await setBoards();
  await putOff.settle();
  return given;

  /** The dashboards that pages of devices lead to, once both are there. */
  async function setBoards(): Promise<void> {
    if (document.devices === undefined) return;
    known = await readDocument(store, scope);
    for (const [i, one] of document.devices.entries()) {
      const row = await findOne(models.devices, { id: String(one.id), workspaceId });
      const dashboardId = boardId(one.dashboard, `devices[${i}].dashboard`);
      if (row !== null && row.dashboardId !== dashboardId)
        await changeIn(models.devices, workspaceId, { rowId: row.rowId }, { dashboardId });
    }
  }
}

/** A name without the number that tells it from others of the same title. */
const titleOf = (name: string): string => name.replace(/ \(\d+\)$/, '').slice(0, 80);

/** Gateways before what is behind them, plain datastreams before those that are computed from them. */
function inOrder(document: WorkspaceDocument, steps: readonly PlanStep[]): PlanStep[] {
  const rank = (step: PlanStep): number => {
    if (step.what === 'device' && step.sign === '+')
      return (document.devices ?? []).find(({ id }) => id === step.name)?.gateway == null ? 0 : 1;
    if (step.what === 'device' && step.sign === '-') return 0;
    const isComputed = step.fields.some(({ field, to }) => field === 'computation' && to !== null);
    return step.what === 'datastream' && isComputed ? 1 : 0;
  };
  // Steps of one sort stand together already; within each the ranks decide.
  const groups: PlanStep[][] = [];
  for (const step of steps) {
    const last = groups.at(-1);
    if (last?.[0]?.what === step.what && last[0].sign === step.sign) last.push(step);
    else groups.push([step]);
  }
  return groups.flatMap((group) => [...group].sort((a, b) => rank(a) - rank(b)));
}

const PART_OF: Partial<Record<PlanStep['what'], FilePart>> = {
  kind: 'kinds',
  datastream: 'kinds',
  webhook: 'webhooks',
  device: 'devices',
  dashboard: 'dashboards',
  rule: 'rules',
  timetable: 'timetables',
  grant: 'grants',
  link: 'links',
};

/** Where a step stands in the file: kinds[2].streams[4]. */
function placeOf(document: WorkspaceDocument, { what, name, within }: PlanStep): string {
  const part = PART_OF[what];
  if (part === undefined) return 'workspace';
  const list = document[part] ?? [];
  const at = list.findIndex((one) => nameIn(part, one) === (within ?? name));
  if (at < 0) return part;
  if (what !== 'datastream') return `${part}[${at}]`;
  const stream = (list[at]!.streams as Entry[]).findIndex(({ key }) => key === name);
  return stream < 0 ? `${part}[${at}]` : `${part}[${at}].streams[${stream}]`;
}

/** A refusal of a call, said of the place in the file that led to it. */
function placed(error: unknown, field: string, { what, name }: PlanStep): unknown {
  if (!(error instanceof ProblemError)) return error;
  const { errors } = error.toProblem();
  const [first] = errors ?? [];
  if (first === undefined)
    return wrongField(
      field,
      `(${what} ${name}): ${error.message.replace(/\.$/, '')}`,
      'Nothing was changed.',
    );
  const isWhole = first.field.startsWith(field);
  return wrongField(
    isWhole ? first.field : `${field}.${first.field}`,
    first.reason,
    `${first.remedy} Nothing was changed.`,
  );
}
