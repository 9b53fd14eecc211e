import { claimFile, NODE_CLAIM } from './claim';
import {
  authorityOf,
  comment,
  controlled,
  exampleValue,
  isPlain,
  literal,
  madeUp,
  pictured,
  reported,
  TOKEN_PLACEHOLDER,
  type StarterFile,
  type StarterPlan,
} from './plan';
import type { Datastream } from '../readings/types';
import { kernelFiles } from './ways/index';
import { keepLiteral, keeps, NODE_KEEP } from './keeping';
import { wiringFile } from './wiring';

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
    { path: 'link.mjs', text: link(plan), generated: true },
    ...(keeps(plan) ? [NODE_KEEP] : []),
    ...claimFile(plan, { path: 'claim.mjs', text: NODE_CLAIM, generated: true }),
    ...wiringFile(plan),
  ];
}

function settings(plan: StarterPlan): string {
  return `// Settings of ${comment(plan.deviceName)}. This is the only file with names and secrets in it.
import { ask } from './link.mjs';

const ADDRESS = ${literal(plan.httpUrl)};
const LOCAL_NAME = ${literal(plan.localName ?? '')}; // its name in the local network, tried first; empty for none
export const SERVICE_URL = await serviceUrl();
${
  plan.claim === undefined
    ? `export const DEVICE_ID = ${literal(plan.deviceId)};
export const DEVICE_TOKEN = ${literal(plan.token ?? TOKEN_PLACEHOLDER)};`
    : `import { claimed } from './claim.mjs';
const CLAIM_SECRET = ${literal(plan.claim.secret)}; // each fetches its own device and token with it
export const { device: DEVICE_ID, token: DEVICE_TOKEN } = await claimed(SERVICE_URL, CLAIM_SECRET);`
}
export const FIRST_INTERVAL_S = ${plan.intervalS}; // until the service names another
${keeps(plan) ? `export const KEEP = ${keepLiteral(plan)}; // what it keeps by itself, until the service says otherwise\n` : ''}
/** By its name, where that is known here: a router may give it another address tomorrow. */
async function serviceUrl() {
  if (LOCAL_NAME === '') return ADDRESS;
  const url = new URL(ADDRESS);
  url.hostname = LOCAL_NAME;
  try {
    await ask(new URL('/device/time', url), { signal: AbortSignal.timeout(3000) });
    return url.origin;
  } catch {
    return ADDRESS;
  }
}
`;
}

/** How the service is asked: by fetch, or where its authority is its own, by a request that trusts it and no other. */
function link(plan: StarterPlan): string {
  const authority = authorityOf(plan);
  if (authority === '') return `// How the service is asked.\nexport const ask = fetch;\n`;
  return `// How the service is asked: its own authority is trusted, and no other.
import http from 'node:http';
import https from 'node:https';

const AUTHORITY = \`${authority}\`;

export function ask(address, { method = 'GET', headers = {}, body, signal } = {}) {
  const url = new URL(address);
  return new Promise((resolve, reject) => {
    const secure = url.protocol === 'https:';
    const request = (secure ? https : http).request(url, { method, headers, signal, ...(secure && { ca: AUTHORITY }) }, (response) => {
      const parts = [];
      response.on('data', (part) => parts.push(part));
      response.on('error', reject);
      response.on('end', () => {
        const text = Buffer.concat(parts).toString('utf8');
        const status = response.statusCode;
        resolve({ status, ok: status >= 200 && status < 300, text: async () => text, json: async () => JSON.parse(text) });
      });
    });
    request.on('error', reject);
    request.end(body);
  });
}
`;
}

function program(plan: StarterPlan): string {
  const files = kernelFiles(plan.streams);
  const fileOf = (stream: Datastream) => files[plan.streams.indexOf(stream)] ?? null;
  const both = plan.streams.filter(({ direction }) => direction === 'both');
  const images = pictured(plan);
  return `// Starter for ${comment(plan.deviceName)}: reports over HTTP, obeys what is wanted, prints what happens.
import fs from 'node:fs';
import { setTimeout as sleep } from 'node:timers/promises';
${keeps(plan) ? "import { createKeep } from './keep.mjs';\n" : ''}import { ask } from './link.mjs';
import { DEVICE_ID, DEVICE_TOKEN, FIRST_INTERVAL_S, ${keeps(plan) ? 'KEEP, ' : ''}SERVICE_URL } from './settings.mjs';

// ---- Your sensors: one function for each datastream that is reported. Return null while there is no value.
const sensors = {
${reported(plan)
  .map((stream) => sensor(stream, fileOf(stream)))
  .join('')}};
${
  images.length === 0
    ? ''
    : `
// ---- Your images: the bytes of a JPEG, PNG or WebP, 512 KB at the most, or null.
const images = {
${images.map(({ key, title }) => `  ${key}: () => null, // ${comment(title)}; replace by what your camera gives\n`).join('')}};
`
}
// ---- Your outputs: one function for each control. Return false when the board cannot do it.
const outputs = {
${controlled(plan).map(output).join('')}};

// As a gateway: what is behind this device, by its ID or serial text, each with sensors of its own.
// For example: { 'well-7': { level: () => 120 } }
const behind = {};

${both.length === 0 ? '' : `/** What each was last made to be. */\nconst has = { ${both.map((stream) => `${stream.key}: ${made(stream)}`).join(', ')} };\n`}${files.some((one, i) => one !== null && reported(plan).includes(plan.streams[i]!)) ? NODE_KERNEL : ''}
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
    try {
      const value = read();
      if (value !== null && value !== undefined && !Number.isNaN(value)) values[name] = value;
    } catch (error) {
      console.log(\`\${name}: \${error.message}\`);
    }
  }
  return values;
}

async function send(message) {
  const query = message.for === null ? '' : \`?for=\${encodeURIComponent(message.for)}\`;
  const response = await ask(\`\${SERVICE_URL}/device/report\${query}\`, {
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

${images.length === 0 ? '' : NODE_IMAGES}async function report() {
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
${images.length === 0 ? '' : '    await sendImages();\n'}  } catch (error) {
    fs.writeFileSync(WAITING_FILE, JSON.stringify(waiting));
    console.log(\`#\${number} waits (\${waiting.length} in all): \${error.cause?.message ?? error.message}\`);
  }
}

async function obey() {
  let backOffMs = 1000;
  // The first time at once; then the service holds the answer until something newer is wanted.
  let waitS = 0;
  let state = 0;
  while (!stopped) {
    try {
      const response = await ask(\`\${SERVICE_URL}/device/wanted?wait=\${waitS}&n=\${state}\`, { headers, signal: AbortSignal.timeout(40_000) });
      if (!response.ok) throw new Error(\`answered \${response.status}\`);
      backOffMs = 1000;
${keeps(plan) ? '      keep.heard();\n      waitS = keep.waitS();\n' : '      waitS = 20;\n'}      const { n, _until: until = {}, ...wanted } = await response.json();
      state = n;
      const applied = {};
      for (const [name, value] of Object.entries(wanted)) {
        if (name === 'interval') {
          if (Number(value) >= 1 && Number(value) !== intervalS) {
            intervalS = Number(value);
            console.log(\`wanted interval = \${value}, applied\`);
          }
          continue;
        }
${
  keeps(plan)
    ? `        if (name === '_keep') {
          keep.take(value);
          continue;
        }
        if (!keep.may(name, value)) {
          console.log(\`wanted \${name} = \${value}: it rests, not done\`);
          continue;
        }
`
    : ''
}        // A press is meant up to a time, by the clock of the service.
        if (until[name] !== undefined && (await serviceNow()) > until[name]) {
          console.log(\`wanted \${name} = \${value}: too late, not done\`);
          continue;
        }
        // Wanted again as it is: nothing to do but to say so.
        if (until[name] === undefined && last[name] === value) {
          applied[name] = value;
          continue;
        }
        const done = outputs[name] !== undefined && outputs[name](value) !== false;
        console.log(\`wanted \${name} = \${value}, \${done ? 'applied' : 'not possible'}\`);
        last[name] = value;
        if (done) applied[name] = value;
${keeps(plan) ? '        if (done) keep.was(name, value);\n' : ''}      }
${keeps(plan) ? NODE_TELL_KEPT : ''}      if (Object.keys(applied).length > 0)
        await ask(\`\${SERVICE_URL}/device/applied\`, { method: 'POST', headers, body: JSON.stringify(applied) });
    } catch (error) {
      if (stopped) return;
      console.log(\`wanted values: \${error.cause?.message ?? error.message}, trying again\`);
      await sleep(backOffMs);
      backOffMs = Math.min(60_000, backOffMs * 2);
    }
  }
}
const last = {};
${keeps(plan) ? NODE_LOOK : ''}
/** The time of the service: this computer's own clock may be wrong. */
async function serviceNow() {
  try {
    const response = await ask(\`\${SERVICE_URL}/device/time\`, { signal: AbortSignal.timeout(5000) });
    return (await response.json()).now;
  } catch {
    return Date.now();
  }
}

for (const signal of ['SIGINT', 'SIGTERM'])
  process.on(signal, () => {
    stopped = true;
    process.exit(0);
  });
console.log(\`Starting as \${DEVICE_ID}, reporting to \${SERVICE_URL}\`);
void obey();
${keeps(plan) ? 'setInterval(lookAtKept, 200);\n' : ''}while (!stopped) {
  await report();
  const due = Date.now();
  // A shorter interval that comes meanwhile holds at once.
  while (!stopped && Date.now() < due + intervalS * 1000) await sleep(200);
}
`;
}

/** A value as JavaScript. */
const made = (stream: Datastream): string =>
  isPlain(stream) ? exampleValue(stream) : literal(exampleValue(stream));

function sensor(stream: Datastream, file: ReturnType<typeof kernelFiles>[number]): string {
  const title = comment(stream.title);
  if (file !== null)
    return `  ${stream.key}: () => kernel(${literal(file.pattern)}, ${file.factor}, ${file.add}, ${file.which}), // ${title}\n`;
  if (stream.direction === 'both') return `  ${stream.key}: () => has.${stream.key}, // ${title}\n`;
  const { middle, spread } = madeUp(stream);
  const value = !isPlain(stream)
    ? made(stream)
    : stream.type === 'boolean'
      ? 'new Date().getMinutes() % 2 === 0'
      : stream.type === 'integer'
        ? `${middle} + Math.round((Math.random() * 2 - 1) * ${spread})`
        : `Number((${middle} + (Math.random() * 2 - 1) * ${spread}).toFixed(${stream.decimals ?? 3}))`;
  return `  ${stream.key}: () => ${value}, // ${title}; made up: replace by what your sensor says\n`;
}

function output(stream: Datastream): string {
  const { key } = stream;
  const keep = stream.direction === 'both' ? ` has.${key} = value;` : '';
  return `  ${key}: (value) => { console.log(\`${key} -> \${value}\`);${keep} }, // ${comment(stream.title)}; replace by what your output needs\n`;
}

/** Tells once what is kept, and again where that has changed. */
const NODE_TELL_KEPT = `      if (told !== keep.text()) {
        const text = keep.text();
        const said = await ask(\`\${SERVICE_URL}/device/about\`, { method: 'POST', headers, body: JSON.stringify({ keeps: text }) });
        if (said.ok) told = text;
      }
`;
const NODE_LOOK = `const keep = createKeep(KEEP, (name, value) => outputs[name] !== undefined && outputs[name](value) !== false);
let told = null;
/** Does what is due by itself; the service is told as soon as it can be. */
async function lookAtKept() {
  const done = keep.look();
  // Wanted again once there is a link, it is done again.
  for (const name of Object.keys(done)) delete last[name];
  if (Object.keys(done).length === 0) return;
  try {
    await ask(\`\${SERVICE_URL}/device/applied\`, { method: 'POST', headers, body: JSON.stringify(done), signal: AbortSignal.timeout(5000) });
  } catch (error) {
    console.log(\`applied: \${error.cause?.message ?? error.message}\`);
  }
}
`;

const NODE_KERNEL = `
/** A number that a driver of this computer's kernel says, the first of its sort or a later one; null where there is none. */
function kernel(pattern, factor, add, which) {
  let found = ['/'];
  for (const part of pattern.split('/').filter(Boolean)) {
    const name = new RegExp(\`^\${part.replaceAll('.', '\\\\.').replaceAll('*', '.*')}$\`);
    found = found.flatMap((folder) => {
      try {
        return fs.readdirSync(folder).filter((one) => name.test(one)).sort().map((one) => \`\${folder === '/' ? '' : folder}/\${one}\`);
      } catch {
        return [];
      }
    });
  }
  if (found[which] === undefined) {
    console.log(\`\${pattern}: the kernel has no such part; is its driver loaded?\`);
    return null;
  }
  const value = Number.parseFloat(fs.readFileSync(found[which], 'utf8'));
  return Number.isNaN(value) ? null : value * factor + add;
}
`;

const NODE_IMAGES = `/** Sends what the images' functions give, each by itself. */
async function sendImages() {
  for (const [name, take] of Object.entries(images)) {
    const bytes = take();
    if (bytes === null) continue;
    const type = bytes[0] === 0x89 ? 'image/png' : bytes[0] === 0x52 ? 'image/webp' : 'image/jpeg';
    const response = await ask(\`\${SERVICE_URL}/device/report?name=\${name}\`, { method: 'POST', headers: { ...headers, 'content-type': type }, body: bytes, signal: AbortSignal.timeout(60_000) });
    console.log(\`image \${name} \${response.ok ? 'arrived' : \`refused (\${response.status})\`}\`);
  }
}

`;
