import { sum } from 'd3-array';
import {
  hostOf,
  isHostAlone,
  keepingSecret,
  mayDo,
  partOf,
  planChanges,
  wrongNames,
  type Datastream,
  type Plan,
  type PlanStep,
} from '@peatmoor/core';
import type { Applied, WorkspaceDocument } from '@peatmoor/contract';
import { createBus, type Bus } from '../bus';
import { notFound, ProblemError, wrongFields } from '../problems';
import { createRegistry } from '../registry';
import { createPutOff } from '../history/deleting';
import { afterCommit, within } from '../store/ambient';
import { listIn } from '../store/rows';
import { doSteps } from './fileSteps';
import { ofKind, readDocument, type Named } from './fileDocument';
import type { ApiParts, Handlers } from './context';
import { countReadings } from './moving';
import { write } from './recorded';
import { type Scope } from './scope';

type FileHandlers = Pick<Handlers, 'readFile' | 'planFile' | 'applyFile'>;

/** The workspace as a text file: reading it, saying what applying one would do, and applying it, all or nothing. */
export function workspaceFileHandlers(
  parts: ApiParts,
  createHandlers: (parts: ApiParts) => Handlers,
): FileHandlers {
  const { store, bus, clearing } = parts;
  const { models } = store;
  /** Readings that deleting a device or a datastream takes along. */
  const readingsOf = async (scope: Scope, named: Named, step: PlanStep): Promise<number> => {
    const kindId = named.kinds.get(step.within ?? '') ?? 0;
    const [stream] =
      step.what === 'datastream'
        ? await listIn(models.streams, scope.workspaceId, { where: { kindId, key: step.name } })
        : [];
    const where =
      step.what === 'device'
        ? { deviceRowId: named.devices.get(step.name)?.rowId ?? 0 }
        : { streamId: stream?.id ?? 0 };
    return sum(await countReadings(parts, await listIn(models.series, scope.workspaceId, { where })));
  };
  const planOf = async (scope: Scope, document: WorkspaceDocument, deletes: boolean): Promise<Plan> => {
    const named = await readDocument(store, scope);
    sayAsking(named.document, document);
    const wrong = wrongNames(named.document, document, [...named.people.keys()]);
    if (wrong.length > 0) throw wrongFields(wrong);
    const plan = planChanges(withAddresses(named), withSecrets(document, named), deletes);
    const lacking = secretsLacking(document, plan);
    if (lacking.length > 0) throw wrongFields(lacking);
    for (const step of plan.steps)
      if (step.sign === '-' && (step.what === 'device' || step.what === 'datastream'))
        step.readings = await readingsOf(scope, named, step);
    return plan;
  };
  /** What only owners may do is not done through a file by anybody else. */
  const demandRole = (scope: Scope, { steps }: Plan): void => {
    const peoples = steps.find(({ what }) => what === 'grant' || what === 'workspace');
    if (peoples !== undefined && !mayDo(scope.role, 'people'))
      throw new ProblemError(
        'not-allowed',
        `The file changes ${peoples.what === 'grant' ? 'grants' : 'the workspace itself'}, which needs the role owner; you are ${scope.role}. Leave that part out of the file.`,
      );
  };
  return {
    readFile: async ({ scope, query }) => {
      const named = await readDocument(store, scope);
      if (query.kind === undefined) return named.document;
      const name = [...named.kinds].find(([, id]) => id === Number(query.kind))?.[0];
      if (name === undefined) throw notFound('kind', String(query.kind));
      return ofKind(named.document, name);
    },
    planFile: async ({ scope, body }) =>
      planOf(scope, body.document as WorkspaceDocument, body.delete ?? false),
    applyFile: async ({ scope, body, request, response }): Promise<Applied> => {
      const document = body.document as WorkspaceDocument;
      const deletes = body.delete ?? false;
      const later: (() => void)[] = [];
      // What the calls tell the rest of the service is told once all of it is true; what they ask for is read from the
      // transaction, by a registry of its own.
      const inner = createBus();
      const waiting: Bus = {
        ...inner,
        emit(name, message) {
          inner.emit(name, message);
          later.push(() => bus.emit(name, message));
        },
      };
      // What works on beside is told when it is committed, and what has to be folded was before.
      await parts.folding.settled();
      const quiet: Pick<ApiParts, 'clearing' | 'folding' | 'recomputing' | 'timetables'> = {
        clearing: { ...clearing, wake: () => undefined },
        folding: { ...parts.folding, settled: () => Promise.resolve() },
        recomputing: {
          ...parts.recomputing,
          pastChanged: (...past) => afterCommit(() => parts.recomputing.pastChanged(...past)),
        },
        timetables: { ...parts.timetables, plan: (at) => later.push(() => parts.timetables.plan(at)) },
      };
      const result = await within(
        (work) => store.transaction(work),
        async (): Promise<Applied> => {
          later.length = 0;
          const registry = createRegistry(store, inner);
          registry.onNewest = () => undefined;
          const putOff = createPutOff(store);
          const handlers = createHandlers({ ...parts, ...quiet, bus: waiting, registry, putOff });
          const plan = await planOf(scope, document, deletes);
          demandRole(scope, plan);
          const given = await doSteps(
            { store, handlers, scope, request, response, putOff },
            document,
            plan.steps,
          );
          return { ...plan, given };
        },
      );
      for (const tell of later) tell();
      if (result.steps.some(({ sign }) => sign === '-')) clearing.wake();
      for (const { sign, what, name, within: kind, fields } of result.steps)
        await write(store, scope, {
          what,
          act: { '+': 'made by a file', '~': 'changed by a file', '-': 'deleted by a file' }[sign],
          target: name.slice(0, 80),
          title: (kind === undefined ? name : `${kind}: ${name}`).slice(0, 80),
          details: what === 'webhook' ? fields.map(withoutSecret) : fields,
        });
      return result;
    },
  };
}

/** A file with the secrets that are there already: a webhook whose host alone is said keeps its address. */
function withSecrets(document: WorkspaceDocument, { addresses }: Named): WorkspaceDocument {
  if (document.webhooks === undefined) return document;
  const webhooks = document.webhooks.map((one) => ({
    ...one,
    url: keepingSecret(String(one.url), addresses.get(String(one.name))),
  }));
  return { ...document, webhooks };
}

/** What is there, with whole addresses, to be compared with a file that has them. */
function withAddresses({ document, addresses }: Named): WorkspaceDocument {
  const webhooks = (document.webhooks ?? []).map((one) => ({
    ...one,
    url: addresses.get(String(one.name))!,
  }));
  return { ...document, webhooks };
}

/** New webhooks whose address is not whole, as the file itself says. */
function secretsLacking({ needs = [], webhooks = [] }: WorkspaceDocument, { steps }: Plan) {
  const needed = new Set(needs.map(({ name }) => name));
  return webhooks.flatMap(({ name, url }, i) =>
    needed.has(String(name)) &&
    isHostAlone(String(url)) &&
    steps.some((step) => step.sign === '+' && step.what === 'webhook' && step.name === name)
      ? {
          field: `webhooks[${i}].url`,
          reason: 'lacks the part after the host, which is a secret and not in the file',
          remedy: `Type the whole address of "${String(name)}", or take it out of the list "needs" where that is all.`,
        }
      : [],
  );
}

/** A changed field as it may stand in the record of changes. */
function withoutSecret({ field, from, to }: PlanStep['fields'][number]): PlanStep['fields'][number] {
  return field === 'url'
    ? { field, from: hostOf(String(from)), to: hostOf(String(to)) }
    : { field, from, to };
}

/** Where a file says nothing of whether a control asks first, it stays as it is; a new one does what its part says. */
function sayAsking({ kinds: there }: WorkspaceDocument, { kinds }: WorkspaceDocument): void {
  type Streams = (Pick<Datastream, 'key' | 'part'> & { asks: boolean | null })[];
  for (const kind of kinds ?? []) {
    const before = (there ?? []).find(({ name }) => name === kind.name)?.streams as Streams | undefined;
    for (const stream of kind.streams as Streams)
      stream.asks ??=
        before?.find(({ key }) => key === stream.key)?.asks ??
        partOf(stream.part ?? null)?.module.dangerous ??
        false;
  }
}
