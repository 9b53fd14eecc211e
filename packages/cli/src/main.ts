#!/usr/bin/env node
import { CommanderError } from 'commander';
import { colours } from './colours';
import { createProgram } from './program';

/** 0 done, 1 failed (the sentence says why), 2 a command, option or argument that there is not. */
const FAILED = 1;
const USAGE = 2;

// Whoever reads the output may stop before its end, as `head` does: then there is nothing more to say.
for (const stream of [process.stdout, process.stderr])
  stream.on('error', (error: NodeJS.ErrnoException) => {
    if (error.code !== 'EPIPE') throw error;
    process.exit();
  });

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
