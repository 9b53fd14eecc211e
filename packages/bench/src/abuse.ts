import { spawn } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { createClient } from '@peatmoor/contract';
import { ATTACKS, type Attacker } from './attacks';
import { p99, pause } from './measure';
import { residentMb, signUp, startOurs } from './service';

/** How long each attack lasts, and how long afterwards everything must be as before, in ms. */
const ATTACK_MS = Number(process.env.ABUSE_MS ?? 5000);
const BACK_MS = 5000;
const say = (text: string): void => void process.stdout.write(`${text}\n`);

/** Calls something again and again, and keeps how long each took; a failure counts as very long. */
function probe(call: () => Promise<Response>): { stop(): Promise<number[]> } {
  let running = true;
  const took: number[] = [];
  const done = (async () => {
    while (running) {
      const start = performance.now();
      const status = await call().then(
        async (response) => (await response.arrayBuffer(), response.status),
        () => 0,
      );
      took.push(status === 200 ? performance.now() - start : 10_000);
      await pause(10);
    }
  })();
  return { stop: () => ((running = false), done.then(() => took)) };
}

// The attacker is a process of its own, so that what it costs itself does not count.
if (process.argv[2] === '--attack')
  await attack(Number(process.argv[3]), JSON.parse(process.argv[4]!) as never);
else await measure();

async function attack(index: number, attacker: Omit<Attacker, 'running'>): Promise<void> {
  const end = performance.now() + ATTACK_MS;
  await ATTACKS[index]!.run({ ...attacker, running: () => performance.now() < end });
  process.exit(0);
}

async function measure(): Promise<void> {
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'peatmoor-abuse-'));
  // As it runs by default: a device may send a hundred messages a second.
  const ours = await startOurs(folder, { PEATMOOR_DEVICE_RATE: '100', PEATMOOR_LOG: 'silent' });
  const url = `http://127.0.0.1:${ours.httpPort}`;
  try {
    const { key, attacker, others } = await setUp(url, ours.mqttPort);
    const probes = (): { reports: { stop(): Promise<number[]> }; pages: { stop(): Promise<number[]> } } => ({
      reports: probe(() =>
        fetch(`${url}/device/report`, {
          method: 'POST',
          headers: { authorization: `Bearer ${others}`, 'content-type': 'application/json' },
          body: '{"value_0":1}',
        }),
      ),
      pages: probe(() => fetch(`${url}/api/devices/other`, { headers: { authorization: `Bearer ${key}` } })),
    });
    const measured = async (ms: number): Promise<[number, number]> => {
      const { reports, pages } = probes();
      await pause(ms);
      return [p99(await reports.stop()), p99(await pages.stop())];
    };
    await measured(2000);
    const [report, page] = await measured(3000);
    say(`Without abuse: others' reports p99 ${report.toFixed(0)} ms, console p99 ${page.toFixed(0)} ms.\n`);
    say(
      '| one abusive device, person, key or link | others’ reports p99, ms (aim 100) | console p99, ms (aim 200) | memory, MB more (aim 200) | back within 5 s | |',
    );
    say('|---|---|---|---|---|---|');
    let failed = 0;
    for (const [index, { name }] of ATTACKS.entries()) {
      if (!name.includes(process.env.ABUSE_ONLY ?? '')) continue;
      const before = residentMb(ours.pid);
      const child = spawn(
        process.execPath,
        [fileURLToPath(import.meta.url), '--attack', String(index), JSON.stringify(attacker)],
        { stdio: 'ignore' },
      );
      const attacked = new Promise((resolve) => child.once('exit', resolve));
      let most = 0;
      const watch = setInterval(() => (most = Math.max(most, residentMb(ours.pid))), 100);
      const [reports, pages] = await measured(ATTACK_MS);
      child.kill('SIGKILL');
      await attacked;
      await pause(BACK_MS - 2000);
      const [after] = await measured(2000);
      clearInterval(watch);
      const more = most - before;
      const isBack = after < 100;
      const isWell = reports <= 100 && pages <= 200 && more <= 200 && isBack;
      if (!isWell) failed++;
      say(
        `| ${name} | ${reports.toFixed(0)} | ${pages.toFixed(0)} | ${more.toFixed(0)} | ${isBack ? 'yes' : `no, ${after.toFixed(0)} ms`} | ${isWell ? 'reached' : 'falls short'} |`,
      );
    }
    say(failed === 0 ? '\nAll reached.' : `\n${failed} of ${ATTACKS.length} fall short.`);
  } finally {
    await ours.stop();
    fs.rmSync(folder, { recursive: true, force: true });
  }
}

/** An account, a device that is abused, and another that goes on as before. */
async function setUp(
  url: string,
  mqttPort: number,
): Promise<{ key: string; attacker: Omit<Attacker, 'running'>; others: string }> {
  const { client: session, key } = await signUp(url);
  const streams = Array.from({ length: 200 }, (_, i) => ({
    key: `value_${i}`,
    title: `Value ${i}`,
    type: 'number' as const,
  }));
  const made = await session.call('createDevice', {
    body: { name: 'Abuser', newKind: { title: 'Abused', streams } },
  });
  const { kindId } = made.device;
  const other = await session.call('createDevice', { body: { name: 'Other', kindId } });
  await session.call('createRule', {
    body: { title: 'Lid', kindId, deviceId: null, stream: 'lid', comparison: 'raised' },
  });
  const claim = await session.call('createClaim', {
    params: { kind: kindId },
    body: { title: 'abuse', most: 1000 },
  });
  const board = await session.call('createDashboard', {
    body: {
      title: 'Shared',
      widgets: [
        {
          id: 'a',
          type: 'gauge',
          sources: [{ device: made.device.id, stream: 'value_0' }],
          title: '',
          options: {},
          x: 0,
          y: 0,
          w: 3,
          h: 3,
        },
      ],
    },
  });
  const link = await session.call('createLink', {
    body: { title: 'abuse', sort: 'dashboard', dashboardId: board.id },
  });
  const keyOf = async (name: string, role: 'viewer' | 'none'): Promise<string> => {
    const { link: invited } = await session.call('addPerson', { body: { name, role } });
    const joined = await fetch(`${url}/api/join`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({
        secret: invited.split('#')[1],
        email: `${name}@quillmere.example`,
        password: 'cotton grass and reeds',
      }),
    });
    await joined.arrayBuffer();
    const cookie = joined.headers
      .getSetCookie()
      .map((one) => one.split(';')[0])
      .join('; ');
    const theirs = createClient({ baseUrl: url, headers: { cookie, 'sec-fetch-site': 'same-origin' } });
    return (await theirs.call('createKey', { body: { title: 'abuse' } })).secret;
  };
  return {
    key,
    others: other.token,
    attacker: {
      url,
      mqttPort,
      deviceId: made.device.id,
      token: made.token,
      key,
      kindId,
      claimSecret: claim.secret,
      link: `link_${link.address.split('/shared/')[1]}`,
      readKey: await keyOf('reader', 'viewer'),
      noneKey: await keyOf('nobody', 'none'),
    },
  };
}
