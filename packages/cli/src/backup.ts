import { spawn } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import type { Command } from 'commander';
import { UsageError } from './settings';

/**
 * The program of the service that works on its database; undefined where only the client is installed. This file is bundled into
 * packages/cli/dist/client, and read from packages/cli/src by tests.
 */
const TOOL = ['../../../server/dist/tool.js', '../../server/dist/tool.js']
  .map((way) => path.resolve(path.dirname(fileURLToPath(import.meta.url)), way))
  .find((file) => fs.existsSync(file));

/** Backups are made and brought back on the machine of the service, where its database and its keys are. */
export function backupCommands(program: Command): void {
  program
    .command('backup <file>')
    .description('a backup of everything, made on the machine of the service while it runs')
    .option('--verify', 'then restores it beside, into a database of its own, and compares')
    .option('--only-verify', 'makes none: looks whether a backup that there is can be restored')
    .addHelpText(
      'after',
      '\nIt is for whoever runs the service: set PEATMOOR_DATA (or PEATMOOR_DATABASE_URL) as for the service, and\nPEATMOOR_BACKUP_PASSPHRASE to encipher it.\n\nExamples:\n  peatmoor backup moss.sql.gz --verify\n  peatmoor backup moss.sql.gz --only-verify',
    )
    .action((file: string, { verify, onlyVerify }: { verify?: true; onlyVerify?: true }) =>
      onlyVerify === true
        ? run('verify', file)
        : run('backup', file, ...(verify === true ? ['--verify'] : [])),
    );
  program
    .command('restore <file>')
    .description('brings a backup back into an empty place, on the machine of the service')
    .addHelpText(
      'after',
      '\nThe service must not run, and PEATMOOR_DATA must be a folder without a database. Afterwards nothing old happens: alerts\nthat waited, wanted values and missed set times are let go, and everybody signs in anew.\n\nExample:\n  PEATMOOR_DATA=data/again peatmoor restore moss.sql.gz',
    )
    .action((file: string) => run('restore', file));
}

/** Runs the program of the service in the same terminal, and ends as it ends. */
async function run(verb: string, file: string, ...more: string[]): Promise<void> {
  if (TOOL === undefined)
    throw new UsageError(
      `This works on the machine of the service, in the folder of Peatmoor: npm run -s peatmoor -- ${verb} ${file}`,
    );
  const child = spawn(process.execPath, [TOOL, verb, file, ...more], { stdio: 'inherit' });
  process.exitCode = await new Promise<number>((resolve, reject) => {
    child.once('error', reject);
    child.once('close', (code) => resolve(code ?? 1));
  });
}
