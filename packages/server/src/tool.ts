import { counted, showBytes } from '@peatmoor/core';
import { SingleBar } from 'cli-progress';
import { managedWhereabouts } from './database/managed';
import { whereaboutsOf } from './backup/address';
import { BackupError, makeBackup } from './backup/make';
import { restoreBackup, verifyBackup } from './backup/restore';
import { showTime } from './backup/words';
import { readConfig, settingsOf, SettingError } from './config';
import { createLog } from './process';
import { VERSION } from './version';

// What is done on the machine of the service itself: backups, and bringing them back. `peatmoor backup` and `peatmoor restore` start it.
const say = (text: string): void => void process.stdout.write(`${text}\n`);
const [verb, file, ...more] = process.argv.slice(2);

/** A bar on a terminal; nothing where the output goes to a file. */
function progress(): { onProgress: (part: number, words: string) => void; stop: () => void } {
  if (!process.stderr.isTTY) return { onProgress: () => undefined, stop: () => undefined };
  const bar = new SingleBar({
    format: '{bar} {percentage} %  {words}',
    stream: process.stderr,
    hideCursor: true,
  });
  bar.start(100, 0, { words: '' });
  return {
    onProgress: (part, words) => bar.update(Math.round(part * 100), { words }),
    stop: () => bar.stop(),
  };
}

try {
  const config = readConfig(process.env);
  const log = createLog({ ...config, logLevel: 'error' });
  const { dataFolder, databaseUrl, backupPassphrase: passphrase } = config;
  if (file === undefined || !['backup', 'restore', 'verify'].includes(verb ?? ''))
    throw new BackupError('Usage: backup FILE [--verify], verify FILE, or restore FILE');
  const { onProgress, stop } = progress();
  try {
    if (verb === 'backup') {
      const at = databaseUrl === null ? managedWhereabouts(dataFolder) : whereaboutsOf(databaseUrl);
      if (at === null)
        throw new BackupError(
          `There is no database in ${dataFolder}. Set PEATMOOR_DATA to the data folder of the service.`,
        );
      const settings = settingsOf(process.env);
      const made = await makeBackup({
        at,
        dataFolder,
        version: VERSION,
        settings,
        file,
        passphrase,
        onProgress,
      });
      stop();
      say(
        `${made.file}: ${showBytes(made.bytes)}${made.counted ? `, ${counted(made.rows, 'row')} of ${counted(made.tables, 'table')}` : ''}${passphrase === null ? '. It is not enciphered: whoever reads it reads everything. Set PEATMOOR_BACKUP_PASSPHRASE to encipher' : ', enciphered'}.`,
      );
    }
    if (verb === 'verify' || (verb === 'backup' && more.includes('--verify'))) {
      const { head, rows, compared } = await verifyBackup({ file, passphrase, log, onProgress });
      stop();
      say(
        `${file} of ${showTime(head.madeAt)}, by Peatmoor ${head.version}, can be restored: ${counted(rows, 'row')}${compared ? ', all as they were when it was made' : '. It was made of a cluster, so that nothing was counted to compare with'}.`,
      );
    }
    if (verb === 'restore') {
      const { head, rows, calmed, files } = await restoreBackup({
        file,
        passphrase,
        dataFolder,
        databaseUrl,
        log,
        onProgress,
      });
      stop();
      const letGo = Object.entries(calmed)
        .filter(([what, count]) => count > 0 && what !== 'leases')
        .map(([what, count]) => `  ${what}: ${count}`);
      say(
        [
          `Restored the backup of ${showTime(head.madeAt)}: ${counted(rows, 'row')}, ${counted(files, 'file')}.`,
          ...(letGo.length > 0
            ? [
                'Let go, so that nothing old happens (everybody signs in anew; wanted values are told once somebody wants them again):',
                ...letGo,
              ]
            : []),
          `Its settings are in ${dataFolder}/settings-of-the-backup.env. Start the service.`,
        ].join('\n'),
      );
    }
  } finally {
    stop();
  }
} catch (error) {
  process.stderr.write(`${(error as Error).message}\n`);
  process.exitCode = error instanceof SettingError ? 2 : 1;
  if (
    !(error instanceof BackupError || error instanceof SettingError) &&
    process.env.PEATMOOR_LOG === 'debug'
  )
    process.stderr.write(`${(error as Error).stack}\n`);
}
