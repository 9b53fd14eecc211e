/**
 * Makes a small database by a version of the service and keeps it as a fixture, from which every later version must start:
 *   node scripts/fixture.mjs <file> [<folder of that version>]
 */
import { spawn } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { gzipSync } from 'node:zlib';
import mariadb from 'mariadb';

const [file, root = path.join(import.meta.dirname, '..')] = process.argv.slice(2);
const data = fs.mkdtempSync(path.join(os.tmpdir(), 'peatmoor-fixture-'));
const program = spawn('node', [path.join(root, 'packages/server/dist/main.js')], {
  env: {
    ...process.env,
    PEATMOOR_DATA: data,
    PEATMOOR_HOST: '127.0.0.1',
    PEATMOOR_HTTP_PORT: '18931',
    PEATMOOR_MQTT_PORT: '18932',
    PEATMOOR_LOG: 'warn',
  },
  stdio: ['ignore', 'inherit', 'inherit'],
});
const url = 'http://127.0.0.1:18931';
let cookie = '';
async function call(method, where, body, headers = {}) {
  const response = await fetch(url + where, {
    method,
    headers: {
      'content-type': 'application/json',
      origin: url,
      'sec-fetch-site': 'same-origin',
      ...(cookie && { cookie }),
      ...headers,
    },
    ...(body !== undefined && { body: JSON.stringify(body) }),
  });
  cookie ||= response.headers.getSetCookie()[0]?.split(';')[0] ?? '';
  const text = await response.text();
  if (!response.ok) throw new Error(`${method} ${where}: ${response.status} ${text}`);
  return text === '' ? null : JSON.parse(text);
}

try {
  for (let i = 0; ; i++) {
    const ready = await fetch(`${url}/health`).then(
      ({ ok }) => ok,
      () => false,
    );
    if (ready) break;
    if (i > 300) throw new Error('the service did not start');
    await sleep(200);
  }
  await call('POST', '/api/account', {
    email: 'warden@quillmere.example',
    password: 'wet moss, dry boots',
    name: 'Warden',
    workspace: 'Quillmere Moss',
  });
  const { device, token } = await call('POST', '/api/devices', {
    name: 'Dipwell North',
    id: 'dipwell-north',
    newKind: {
      title: 'Dipwell',
      intervalS: 60,
      streams: [
        { key: 'water_level', title: 'Water level', type: 'number', unit: 'mm', min: -500, max: 100 },
        { key: 'lid', title: 'Lid', type: 'boolean' },
      ],
    },
  });
  await call('POST', '/api/rules', {
    title: 'Water is high',
    deviceId: 'dipwell-north',
    stream: 'water_level',
    comparison: 'above',
    limit: 50,
    closeLimit: 40,
    emails: ['warden@quillmere.example'],
  });
  await call('POST', `/api/devices/${device.id}/dashboard`);
  const bearer = { authorization: `Bearer ${token}` };
  // Three days, an hour apart, of this version's own making.
  const start = Math.floor(Date.now() / 3_600_000) * 3_600_000 - 72 * 3_600_000;
  for (let i = 0; i < 72; i++)
    await call(
      'POST',
      '/device/report',
      { at: start + i * 3_600_000, water_level: i - 100, lid: i % 2 },
      bearer,
    );
  await call('POST', '/device/report', { water_level: 60 }, bearer);
  // What is gathered before it is written down: messages, and readings before they are folded.
  await sleep(6000);
  await call('GET', `/api/devices/${device.id}/arrivals`);
  await call('POST', `/api/devices/${device.id}/corrections`, { stream: 'lid', from: 1, to: 2 }).catch(
    () => undefined,
  );
  await sleep(6000);
  const dump = await dumpOf(data);
  const facts = `-- fixture ${JSON.stringify({ start, token })}\n`;
  fs.writeFileSync(file, gzipSync(Buffer.from(facts + dump), { level: 9 }));
  process.stdout.write(`${file}: ${fs.statSync(file).size} bytes\n`);
} finally {
  program.kill('SIGTERM');
  await new Promise((resolve) => program.once('exit', resolve));
  fs.rmSync(data, { recursive: true, force: true });
}

/** All tables as SQL, a statement a line. */
async function dumpOf(folder) {
  const connection = await mariadb.createConnection({
    socketPath: path.join(folder, 'mariadb.sock'),
    user: 'peatmoor',
    password: fs.readFileSync(path.join(folder, 'database-password'), 'utf8').trim(),
    database: 'peatmoor',
    dateStrings: true,
    bigIntAsNumber: true,
  });
  const lines = ['SET FOREIGN_KEY_CHECKS = 0'];
  for (const { name } of await connection.query(
    'SELECT TABLE_NAME AS name FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE() ORDER BY 1',
  )) {
    const [made] = await connection.query(`SHOW CREATE TABLE \`${name}\``);
    lines.push(made['Create Table'].replaceAll('\n', ' '));
    for (const row of await connection.query(`SELECT * FROM \`${name}\``)) {
      const columns = Object.keys(row).map((column) => `\`${column}\``);
      const values = Object.values(row).map((value) =>
        Buffer.isBuffer(value) ? `X'${value.toString('hex')}'` : connection.escape(value),
      );
      lines.push(`INSERT INTO \`${name}\` (${columns.join(',')}) VALUES (${values.join(',')})`);
    }
  }
  await connection.end();
  return lines.join(';\n');
}
