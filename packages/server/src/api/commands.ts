import { isRefusal } from '@peatmoor/core';
import { TooLateError } from '../commands/keeping';
import { notFound, ProblemError, wrongField } from '../problems';
import type { CommandRow } from '../store/models';
import { deviceOf, numberOf, type ApiParts, type Handlers } from './context';
import { streamOf } from './data';
import { pageIn } from './pages';

type CommandHandlers = Pick<Handlers, 'createCommand' | 'listCommands' | 'readCommand'>;

export function commandHandlers(parts: ApiParts): CommandHandlers {
  const { commands } = parts;
  return {
    createCommand: async ({ scope, params, body }) => {
      const entry = await deviceOf(parts, scope, params.device);
      const by = { userName: scope.userName, until: body.until };
      const outcome = await commands.want(entry, body.stream, body.value, by).catch((error: unknown) => {
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
      return command;
    },
  };
}
