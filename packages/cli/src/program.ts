import { Command } from 'commander';
import { accountCommands } from './account';
import { backupCommands } from './backup';
import { calibrationCommands } from './calibrations';
import { certificateCommand } from './certificate';
import { checkCommand } from './check';
import { nodeCommands } from './nodes';
import { completionCommands } from './completion';
import { dataCommands } from './data';
import { dashboardCommands } from './dashboards';
import { deviceCommands } from './devices';
import { firmwareCommands } from './firmware';
import { historyCommand } from './history';
import { kindCommands } from './kinds';
import { partCommands } from './parts';
import { interlockCommands } from './interlocks';
import { liveCommands } from './live';
import { peopleCommands } from './people';
import { ruleCommands } from './rules';
import { UsageError } from './settings';
import { shareCommands } from './sharing';
import { timetableCommands } from './timetables';
import { workspaceCommands } from './workspaceFile';

/** The command line with all its commands. */
export function createProgram(): Command {
  const program = new Command('peatmoor')
    .description('Peatmoor from the command line: devices, readings, controls and events of your own boards.')
    .version('0.6.0')
    .option('--json', 'print JSON')
    .configureHelp({ showGlobalOptions: true })
    .helpCommand(false)
    .showHelpAfterError('(run with --help for the options and an example)')
    .addHelpText(
      'after',
      '\nFirst: peatmoor sign-in --url http://… --email …\nThen, for example: peatmoor device list, peatmoor follow',
    );
  accountCommands(program);
  deviceCommands(program);
  kindCommands(program);
  firmwareCommands(program);
  partCommands(program);
  calibrationCommands(program);
  dashboardCommands(program);
  liveCommands(program);
  historyCommand(program);
  dataCommands(program);
  ruleCommands(program);
  interlockCommands(program);
  peopleCommands(program);
  shareCommands(program);
  workspaceCommands(program);
  timetableCommands(program);
  checkCommand(program);
  nodeCommands(program);
  certificateCommand(program);
  backupCommands(program);
  completionCommands(program);
  program
    .command('help [command...]')
    .description('the help of a command, such as: peatmoor help device new')
    .action((names: string[]) => {
      let one: Command = program;
      for (const name of names) {
        const inner = one.commands.find((command) => command.name() === name);
        if (inner === undefined)
          throw new UsageError(
            `There is no command "${names.join(' ')}". ${one.name()} has: ${
              one.commands
                .filter((command) => command.name() !== 'complete')
                .map((command) => command.name())
                .join(', ') || 'no commands of its own'
            }.`,
          );
        one = inner;
      }
      one.outputHelp();
    });
  exitOverrideAll(program);
  return program;
}

function exitOverrideAll(command: Command): void {
  command.exitOverride();
  for (const one of command.commands) exitOverrideAll(one);
}
