#!/usr/bin/env node
import { CommanderError } from 'commander';
import { colours } from './colours';
import { createProgram } from './program';

/** 0 done, 1 failed (the sentence says why), 2 a command, option or argument that there is not. */
const FAILED = 1;
const USAGE = 2;

try {
  await createProgram().parseAsync();
} catch (error) {
  if (error instanceof CommanderError)
    process.exitCode = error.exitCode === 0 || error.code === 'commander.helpDisplayed' ? 0 : USAGE;
  else {
    process.stderr.write(`${colours.red('✗')} ${(error as Error).message}\n`);
    process.exitCode = FAILED;
  }
}
