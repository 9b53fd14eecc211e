import { claimFile, NODE_CLAIM } from './claim';
import {
  comment,
  controlled,
  literal,
  middle,
  reported,
  TOKEN_PLACEHOLDER,
  type StarterFile,
  type StarterPlan,
} from './plan';
import type { Datastream } from '../readings/types';

/** The starter for small computers: Node 18 or newer, HTTP, nothing to install; also as a gateway. */
export function nodeStarter(plan: StarterPlan): StarterFile[] {
  return [
    { path: 'settings.mjs', text: settings(plan), generated: true },
    { path: 'main.mjs', text: program(plan), generated: false },
    {
      path: 'package.json',
      text: '{ "private": true, "type": "module", "engines": { "node": ">=18" } }\n',
      generated: false,
    },
    ...claimFile(plan, { path: 'claim.mjs', text: NODE_CLAIM, generated: true }),
  ];
}

function settings(plan: StarterPlan): string {
  return `// Settings of ${comment(plan.deviceName)}. This is the only file with names and secrets in it.
export const SERVICE_URL = ${literal(plan.httpUrl)};
${
  plan.claim === undefined
    ? `export const DEVICE_ID = ${literal(plan.deviceId)};
export const DEVICE_TOKEN = ${literal(plan.token ?? TOKEN_PLACEHOLDER)};`
    : `import { claimed } from './claim.mjs';
const CLAIM_SECRET = ${literal(plan.claim.secret)}; // each fetches its own device and token with it
export const { device: DEVICE_ID, token: DEVICE_TOKEN } = await claimed(SERVICE_URL, CLAIM_SECRET);`
}
export const FIRST_INTERVAL_S = ${plan.intervalS}; // until the service names another
`;
}

function program(plan: StarterPlan): string {
  return `// Starter for ${comment(plan.deviceName)}: reports over HTTP, obeys what is wanted, prints what happens.
import fs from 'node:fs';
import { setTimeout as sleep } from 'node:timers/promises';
import { DEVICE_ID, DEVICE_TOKEN, FIRST_INTERVAL_S, SERVICE_URL } from './settings.mjs';

// ---- Your sensors: one function for each datastream that is reported. Return null while there is no value.
const sensors = {
${reported(plan).map(sensor).join('')}};

// ---- Your outputs: one function for each control. Return false when the board cannot do it.
const outputs = {
${controlled(plan).map(output).join('')}};

// As a gateway: what is behind this device, by its ID or serial text, each with sensors of its own.
// For example: { 'well-7': { level: () => 120 } }
const behind = {};

const WAITING_FILE = new URL('./waiting.json', import.meta.url);
const MOST_WAITING = 10_000;
const headers = { authorization: \`Bearer \${DEVICE_TOKEN}\`, 'content-type': 'application/json' };
let intervalS = FIRST_INTERVAL_S;
let number = 0;
let stopped = false;
/** Messages that have not arrived yet, with their true times; kept in a file so that a power cut loses none. */
let waiting = fs.existsSync(WAITING_FILE) ? JSON.parse(fs.readFileSync(WAITING_FILE, 'utf8')) : [];

function measure(list) {
  const values = {};
  for (const [name, read] of Object.entries(list)) {
    const value = read();
    if (value !== null) values[name] = value;
  }
  return values;
}

async function send(message) {
  const query = message.for === null ? '' : \`?for=\${encodeURIComponent(message.for)}\`;
  const response = await fetch(\`\${SERVICE_URL}/device/report\${query}\`, {
    method: 'POST',
    headers,
    body: JSON.stringify({ n: message.n, at: message.at, ...message.values }),
    signal: AbortSignal.timeout(15_000),
  });
  const answer = await response.json();
  for (const { name, reason, hint } of answer.refused) console.log(\`REFUSED \${name} \${reason}: \${hint}\`);
  if (response.status === 401) throw new Error('the token is not right; look at DEVICE_TOKEN in settings.mjs');
  if (response.status === 429 || response.status === 503) throw new Error(\`the service asks to wait (\${response.status})\`);
  console.log(\`#\${message.n} arrived, \${answer.accepted} accepted\`);
}

async function report() {
  const at = Date.now();
  number += 1;
  if (Object.keys(sensors).length > 0) waiting.push({ n: number, at, for: null, values: measure(sensors) });
  for (const [name, list] of Object.entries(behind)) waiting.push({ n: number, at, for: name, values: measure(list) });
  waiting = waiting.slice(-MOST_WAITING);
  try {
    while (waiting.length > 0) {
      await send(waiting[0]);
      waiting.shift();
    }
    fs.rmSync(WAITING_FILE, { force: true });
  } catch (error) {
    fs.writeFileSync(WAITING_FILE, JSON.stringify(waiting));
    console.log(\`#\${number} waits (\${waiting.length} in all): \${error.cause?.message ?? error.message}\`);
  }
}

async function obey() {
  let backOffMs = 1000;
  // The first time at once; then the service holds the answer until something is wanted.
  let waitS = 0;
  while (!stopped) {
    try {
      const response = await fetch(\`\${SERVICE_URL}/device/wanted?wait=\${waitS}\`, { headers, signal: AbortSignal.timeout(40_000) });
      if (!response.ok) throw new Error(\`answered \${response.status}\`);
      backOffMs = 1000;
      waitS = 20;
      const applied = {};
      for (const [name, value] of Object.entries(await response.json())) {
        if (name === 'interval') {
          if (Number(value) >= 1 && Number(value) !== intervalS) {
            intervalS = Number(value);
            console.log(\`wanted interval = \${value}, applied\`);
          }
          continue;
        }
        // Wanted again as it is: nothing to do but to say so.
        if (last[name] === value) {
          applied[name] = value;
          continue;
        }
        const done = outputs[name] !== undefined && outputs[name](value) !== false;
        console.log(\`wanted \${name} = \${value}, \${done ? 'applied' : 'not possible'}\`);
        last[name] = value;
        if (done) applied[name] = value;
      }
      if (Object.keys(applied).length > 0)
        await fetch(\`\${SERVICE_URL}/device/applied\`, { method: 'POST', headers, body: JSON.stringify(applied) });
    } catch (error) {
      if (stopped) return;
      console.log(\`wanted values: \${error.cause?.message ?? error.message}, trying again\`);
      await sleep(backOffMs);
      backOffMs = Math.min(60_000, backOffMs * 2);
    }
  }
}
const last = {};

for (const signal of ['SIGINT', 'SIGTERM'])
  process.on(signal, () => {
    stopped = true;
    process.exit(0);
  });
console.log(\`Starting as \${DEVICE_ID}, reporting to \${SERVICE_URL}\`);
void obey();
while (!stopped) {
  await report();
  const due = Date.now();
  // A shorter interval that comes meanwhile holds at once.
  while (!stopped && Date.now() < due + intervalS * 1000) await sleep(200);
}
`;
}

function sensor(stream: Datastream): string {
  const made =
    stream.type === 'boolean'
      ? 'Math.random() < 0.5'
      : stream.type === 'integer'
        ? `${middle(stream)} + Math.round(Math.random() * 2 - 1)`
        : `${middle(stream)} + Math.round(Math.random() * 100) / 100`;
  return `  ${stream.key}: () => ${made}, // ${comment(stream.title)}; made up: replace by what your sensor says\n`;
}

function output(stream: Datastream): string {
  return `  ${stream.key}: (value) => console.log(\`${stream.key} -> \${value}\`), // ${comment(stream.title)}; replace by what your output needs\n`;
}
