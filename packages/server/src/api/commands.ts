import { isRefusal } from '@peatmoor/core';
import { isAfterGap, readAtOf } from '../loopGap';
import { BarredError } from '../commands/barred';
import { TooLateError } from '../commands/keeping';
import { now as clockNow } from '../clock';
import { conflict, notFound, ProblemError, wrongField } from '../problems';
import type { DeviceEntry } from '../registry';
import { maySteer, narrowed, seesDevice, seesWhole } from '../sharing/reach';
import type { CommandRow } from '../store/models';
import { deviceOf, numberOf, type ApiParts, type Handlers } from './context';
import { streamOf } from './data';
import { pageIn } from './pages';
import type { Scope } from './scope';

type CommandHandlers = Pick<Handlers, 'createCommand' | 'listCommands' | 'readCommand'>;

export function commandHandlers(parts: ApiParts): CommandHandlers {
  const { commands } = parts;
  /** A grant steers what it carries; whatever else the device has is refused in the words of the role. */
  const demandSteering = (scope: Scope, entry: DeviceEntry, name: string): void => {
    const stream = entry.names.find(name);
    if (stream === undefined || maySteer(scope, entry.rowId, stream.streamId)) return;
    throw new ProblemError(
      'not-allowed',
      `You may look at "${stream.title}", and not steer it. Ask an owner of the workspace.`,
    );
  };
  return {
    createCommand: async ({ scope, params, body, request }) => {
      // Until when it is meant says nothing of what others have wanted meanwhile.
      if (isAfterGap(request))
        throw new ProblemError(
          'unavailable',
          'The service stood still for a while and cannot tell how old this command is. Nothing was sent. Check the current state and send it again.',
          { retryAfterS: 1 },
        );
      const entry = await deviceOf(parts, scope, params.device);
      demandSteering(scope, entry, body.stream);
      // What was held up on its way was wanted when its caller says so: a network keeps a call for longer than anybody here can know.
      const heldUpMs = body.at === undefined ? 0 : Math.max(0, clockNow() - body.at);
      const by = {
        userName: scope.userName,
        until: body.until,
        since: Math.min(readAtOf(request), performance.now() - heldUpMs),
      };
      const outcome = await commands.want(entry, body.stream, body.value, by).catch((error: unknown) => {
        if (error instanceof BarredError) throw conflict(`${error.message} ${error.remedy}`);
        if (!(error instanceof TooLateError)) throw error;
        throw new ProblemError(
          'too-late',
          'This was wanted some time ago and came only now: nothing was sent. Look at how it is, and want it anew.',
        );
      });
      if (isRefusal(outcome))
        throw wrongField(
          outcome.reason === 'unknown-name' || outcome.reason === 'not-reportable' ? 'stream' : 'value',
          `was refused (${outcome.reason})`,
          outcome.hint,
        );
      return outcome;
    },
    listCommands: async (call) => {
      const { scope, params, query } = call;
      const entry = await deviceOf(parts, scope, params.device);
      const rows = await pageIn(parts.store.models.commands, scope.workspaceId, call, {
        where: {
          deviceRowId: entry.rowId,
          ...(!seesWhole(scope, entry.rowId) && { streamId: entry.streams.map(({ streamId }) => streamId) }),
          ...(query.stream !== undefined && { streamId: streamOf(entry, String(query.stream)).streamId }),
          ...(query.state !== undefined && { state: query.state as CommandRow['state'] }),
        },
        by: 'id',
        id: 'id',
        direction: 'DESC',
      });
      const page = rows.map((row) => commands.describe(entry, row));
      // The first page shows every control as it stands, however long ago it was wanted.
      const isFirst = query.after === undefined && query.stream === undefined && query.state === undefined;
      return isFirst ? [...page, ...(await commands.newestBeside(entry, rows))] : page;
    },
    readCommand: async ({ scope, params }) => {
      const command = await commands.read(scope.workspaceId, numberOf(params.command, 'command'));
      if (command === null) throw notFound('command', params.command ?? '');
      // One of a device or datastream that is not seen is as if it were not there.
      const entry = await parts.registry.byId(scope.workspaceId, command.deviceId);
      const seen = entry !== null && seesDevice(scope, entry.rowId) ? narrowed(scope, entry) : null;
      if (seen?.names.find(command.stream) === undefined) throw notFound('command', params.command ?? '');
      return command;
    },
  };
}
