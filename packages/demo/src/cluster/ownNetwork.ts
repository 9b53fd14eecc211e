import { spawn, spawnSync } from 'node:child_process';

/**
 * Goes on in a network namespace of its own, where that can be had (as root, on Linux): what is dropped there is dropped for nobody else.
 * Elsewhere it goes on as it is.
 */
export async function inOwnNetwork(): Promise<void> {
  if (process.env.PROOF_OWN_NETWORK !== undefined) return;
  const can = process.getuid?.() === 0 && spawnSync('unshare', ['-n', 'ip', 'link']).status === 0;
  if (!can) {
    process.env.PROOF_OWN_NETWORK = '0';
    return;
  }
  const script = 'ip link set lo up && exec "$0" "$@"';
  const child = spawn('unshare', ['-n', 'sh', '-c', script, process.execPath, ...process.argv.slice(1)], {
    stdio: 'inherit',
    env: { ...process.env, PROOF_OWN_NETWORK: '1' },
  });
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => child.kill(signal));
  const code = await new Promise<number>((resolve) => child.once('exit', (code) => resolve(code ?? 1)));
  process.exit(code);
}
