#!/usr/bin/env node
import { Command, CommanderError } from 'commander';
import { accountCommands } from './account';
import { certificateCommand } from './certificate';
import { checkCommand } from './check';
import { dataCommands } from './data';
import { deviceCommands } from './devices';
import { historyCommand } from './history';
import { kindCommands } from './kinds';
import { partCommands } from './parts';
import { liveCommands } from './live';
import { peopleCommands } from './people';
import { ruleCommands } from './rules';
import { UsageError } from './settings';
import { shareCommands } from './sharing';
import { timetableCommands } from './timetables';
import { workspaceCommands } from './workspaceFile';

/** 0 done, 1 failed, 2 used in a wrong way. */
const FAILED = 1;
const USAGE = 2;

const program = new Command('peatmoor')
  .description('Peatmoor from the command line: devices, readings, controls and events of your own boards.')
  .version('0.3.0')
  .option('--json', 'print JSON')
  .showHelpAfterError('(run with --help for the options and an example)')
  .addHelpText(
    'after',
    '\nFirst: peatmoor sign-in --url http://… --email …\nThen, for example: peatmoor device list, peatmoor follow',
  );
accountCommands(program);
deviceCommands(program);
kindCommands(program);
partCommands(program);
liveCommands(program);
historyCommand(program);
dataCommands(program);
ruleCommands(program);
peopleCommands(program);
shareCommands(program);
workspaceCommands(program);
timetableCommands(program);
checkCommand(program);
certificateCommand(program);
exitOverrideAll(program);

function exitOverrideAll(command: Command): void {
  command.exitOverride();
  for (const one of command.commands) exitOverrideAll(one);
}

try {
  await program.parseAsync();
} catch (error) {
  if (error instanceof CommanderError)
    process.exitCode = error.exitCode === 0 || error.code === 'commander.helpDisplayed' ? 0 : USAGE;
  else {
    process.stderr.write(`${(error as Error).message}\n`);
    process.exitCode = error instanceof UsageError || error instanceof RangeError ? USAGE : FAILED;
  }
}
