import fs from 'node:fs';
import type { Command } from 'commander';
import { print, showTime } from './output';
import { signedIn, signedInClient } from './settings';

/** certificate: what phones need for installing and push */
export function certificateCommand(program: Command): void {
  program
    .command('certificate')
    .description(
      'make a local authority (ten years) and a certificate of it; without --make, say what there is',
    )
    .option('--make', 'make it, or make it anew for other names')
    .option('--name <name...>', 'names and addresses it is for; those of the machine otherwise')
    .option('--out <file>', 'save the certificate of the authority, which phones must be told to trust')
    .addHelpText('after', '\nExample:\n  peatmoor certificate --make --out authority.crt')
    .action(async (options: { make?: boolean; name?: string[]; out?: string }, command: Command) => {
      const client = signedInClient();
      const { url } = signedIn();
      const state = options.make
        ? await client.call('makeCertificate', {
            body: options.name === undefined ? {} : { names: options.name },
          })
        : await client.call('readCertificate');
      if (options.out !== undefined && state.certificate !== null) {
        const answer = await fetch(`${url}/authority.crt`);
        fs.writeFileSync(options.out, Buffer.from(await answer.arrayBuffer()));
      }
      print(command, state, ({ certificate, inUse }) =>
        certificate === null
          ? inUse
            ? 'A certificate is set by PEATMOOR_TLS_CERT.'
            : 'There is none yet. Make it: peatmoor certificate --make'
          : [
              `For ${certificate.names.join(', ')}; until ${showTime(certificate.endsAt)}, then renewed by itself.`,
              `Fingerprint of the authority (SHA-256): ${certificate.fingerprint}`,
              inUse
                ? 'The service answers by it.'
                : 'Start the service again, and it answers by it. Boards are not cut off.',
              `On a phone, open ${url.replace(/^https:/, 'http:')}/trust`,
              ...(options.out === undefined
                ? []
                : [`The certificate of the authority is in ${options.out}.`]),
            ].join('\n'),
      );
    });
}
