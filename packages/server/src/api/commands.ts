import { isRefusal } from '@peatmoor/core';
import { notFound, wrongField } from '../problems';
import { deviceOf, numberOf, type ApiParts, type Handlers } from './context';

type CommandHandlers = Pick<Handlers, 'createCommand' | 'listCommands' | 'readCommand'>;

export function commandHandlers(parts: ApiParts): CommandHandlers {
  const { commands } = parts;
  return {
    createCommand: async ({ scope, params, body }) => {
      const entry = await deviceOf(parts, scope, params.device);
      const outcome = await commands.want(entry, body.stream, body.value, scope.userName);
      if (isRefusal(outcome))
        throw wrongField(
          outcome.reason === 'unknown-name' || outcome.reason === 'not-reportable' ? 'stream' : 'value',
          `was refused (${outcome.reason})`,
          outcome.hint,
        );
      return outcome;
    },
    listCommands: async ({ scope, params }) => commands.list(await deviceOf(parts, scope, params.device)),
    readCommand: async ({ scope, params }) => {
      const command = await commands.read(scope.workspaceId, numberOf(params.command, 'command'));
      if (command === null) throw notFound('command', params.command ?? '');
      return command;
    },
  };
}
