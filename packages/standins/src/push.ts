import { createECDH, createPublicKey, randomBytes, verify, type ECDH } from 'node:crypto';
import http from 'node:http';
import type { AddressInfo } from 'node:net';
import ece from 'http_ece';

const MOST_KEPT = 200;
/** Bytes that a push service takes at the least, and this one at the most (RFC 8030 §7.2). */
const MOST_BYTES = 4096;

/** A push message as it was caught and decrypted. */
export interface CaughtPush {
  at: number;
  /** Which of the phones it was for. */
  phone: string;
  ttl: number;
  urgency: string;
  topic: string;
  /** Who says to have sent it: the subject of its signature. */
  subject: string;
  /** What the service worker is given. */
  content: unknown;
}

/** What a browser gives a page that subscribed. */
export interface PushSubscriptionGiven {
  endpoint: string;
  keys: { p256dh: string; auth: string };
}

export interface PushCatcher {
  pageUrl: string;
  /** A new phone that takes messages; `name` is told with each. */
  subscribe(name: string): PushSubscriptionGiven;
  pushes(): readonly CaughtPush[];
  /** From now on this phone is gone: its messages are answered 410. */
  drop(name: string): void;
  stop(): Promise<void>;
}

interface Phone {
  keys: ECDH;
  auth: Buffer;
  gone: boolean;
}

/**
 * A push service that delivers nothing (RFC 8030 over plain HTTP): it checks the signature (RFC 8292), decrypts the message
 * (RFC 8291) as the phone would, and keeps the newest. `POST /phones/<name>` makes a phone; `GET /messages.json` lists.
 */
export async function startPushCatcher(options: { port?: number; host?: string } = {}): Promise<PushCatcher> {
  const phones = new Map<string, Phone>();
  const pushes: CaughtPush[] = [];
  let origin = '';

  const subscribe = (name: string): PushSubscriptionGiven => {
    const keys = createECDH('prime256v1');
    keys.generateKeys();
    const auth = randomBytes(16);
    phones.set(name, { keys, auth, gone: false });
    return {
      endpoint: `${origin}/to/${encodeURIComponent(name)}`,
      keys: { p256dh: keys.getPublicKey().toString('base64url'), auth: auth.toString('base64url') },
    };
  };
  const take = (name: string, headers: http.IncomingHttpHeaders, body: Buffer): number => {
    const phone = phones.get(name);
    if (phone === undefined) return 404;
    if (phone.gone) return 410;
    if (body.length > MOST_BYTES) return 413;
    const subject = signerOf(headers.authorization ?? '', origin);
    if (subject === null) return 403;
    if (headers['content-encoding'] !== 'aes128gcm' || headers.ttl === undefined) return 400;
    let content: unknown;
    try {
      const text = ece.decrypt(body, {
        version: 'aes128gcm',
        privateKey: phone.keys,
        dh: '',
        authSecret: phone.auth.toString('base64url'),
      });
      content = JSON.parse(text.toString());
    } catch {
      return 400;
    }
    const topic = String(headers.topic ?? '');
    if (topic !== '' && !/^[\w-]{1,32}$/.test(topic)) return 400;
    // A newer message of a topic takes the place of one that was not delivered; here all were, so all are kept.
    pushes.unshift({
      at: Date.now(),
      phone: name,
      ttl: Number(headers.ttl),
      urgency: String(headers.urgency ?? 'normal'),
      topic,
      subject,
      content,
    });
    pushes.length = Math.min(pushes.length, MOST_KEPT);
    return 201;
  };
  const server = http.createServer((request, response) => {
    const [, what, name = ''] = (request.url ?? '').split('/');
    if (request.method === 'GET' && what === 'messages.json')
      return response.setHeader('content-type', 'application/json').end(JSON.stringify(pushes));
    if (request.method === 'GET' && what === '') {
      response.writeHead(200, {
        'content-type': 'text/html; charset=utf-8',
        'content-security-policy': "default-src 'none'; style-src 'unsafe-inline'",
      });
      return response.end(page(pushes));
    }
    if (request.method === 'POST' && what === 'phones')
      return response
        .setHeader('content-type', 'application/json')
        .end(JSON.stringify(subscribe(decodeURIComponent(name))));
    if (request.method === 'DELETE' && what === 'phones') {
      const phone = phones.get(decodeURIComponent(name));
      if (phone !== undefined) phone.gone = true;
      return response.end();
    }
    if (request.method !== 'POST' || what !== 'to') {
      response.statusCode = 404;
      return response.end();
    }
    const parts: Buffer[] = [];
    request.on('data', (part: Buffer) => parts.push(part));
    request.on('end', () => {
      response.statusCode = take(decodeURIComponent(name), request.headers, Buffer.concat(parts));
      if (response.statusCode === 201) response.setHeader('location', `${origin}/sent/${pushes.length}`);
      response.end();
    });
  });
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(options.port ?? 0, options.host ?? '127.0.0.1', resolve);
  });
  origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  return {
    pageUrl: origin,
    subscribe,
    pushes: () => pushes,
    drop: (name) => void (phones.has(name) && (phones.get(name)!.gone = true)),
    stop() {
      server.closeAllConnections();
      return new Promise((resolve) => server.close(() => resolve()));
    },
  };
}

const escape = (text: unknown): string =>
  String(text ?? '').replace(/[&<>"]/g, (letter) => `&#${letter.charCodeAt(0)};`);

/** What came, as it would stand on a phone: the newest first, and of each tag only the newest. */
function page(pushes: readonly CaughtPush[]): string {
  const seen = new Set<string>();
  const shown = pushes.filter(({ phone, content }) => {
    const key = `${phone} ${(content as { tag: string }).tag}`;
    return seen.has(key) ? false : seen.add(key);
  });
  const rows = shown.map(({ at, phone, content }) => {
    const { title, body, severity, over, acknowledge } = content as Record<string, unknown>;
    return `<article class="${over ? 'over' : escape(severity)}"><header><span>${escape(phone)}</span><time>${new Date(at).toLocaleTimeString('en-GB')}</time></header>
<h2>${escape(title)}</h2><p>${escape(body).replace(/\n/g, '<br>')}</p>${acknowledge === null ? '' : '<footer>Acknowledge</footer>'}</article>`;
  });
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">
<meta http-equiv="refresh" content="5"><title>Caught push messages</title><style>
body { background: #2c2420; color: #2c2420; font: 16px/1.4 "Atkinson Hyperlegible Next", sans-serif; max-width: 26rem; margin: 0 auto; padding: 1rem }
h1 { color: #ede6da; font-size: 1.1rem; margin: .5rem 0 1rem } h2 { font-size: 1rem; margin: .2rem 0 } p { margin: 0; font-size: .95rem }
article { background: #f6f2e9; border-radius: 10px; padding: .75rem 1rem; margin: 0 0 .6rem } .urgent { border-left: 5px solid #a8381c } .over { opacity: .7 }
header { display: flex; justify-content: space-between; font-size: .85rem; opacity: .75 } footer { margin-top: .5rem; font-weight: 700; color: #2b5f6e }
</style></head><body><h1>Caught push messages, decrypted as the phone would</h1>
${rows.join('\n') || '<article><p>Nothing yet.</p></article>'}</body></html>`;
}

/** Who signed a request for this push service, by its token (RFC 8292 §2, RFC 7515); null where the signature is not right. */
function signerOf(authorization: string, audience: string): string | null {
  const [, token, key] = /^vapid t=([\w.-]+), ?k=([\w-]+)$/.exec(authorization) ?? [];
  if (token === undefined || key === undefined) return null;
  const [head = '', claims = '', signature = ''] = token.split('.');
  const point = Buffer.from(key, 'base64url');
  try {
    const right = verify(
      'sha256',
      Buffer.from(`${head}.${claims}`),
      {
        key: createPublicKey({
          format: 'jwk',
          key: {
            kty: 'EC',
            crv: 'P-256',
            x: point.subarray(1, 33).toString('base64url'),
            y: point.subarray(33).toString('base64url'),
          },
        }),
        dsaEncoding: 'ieee-p1363',
      },
      Buffer.from(signature, 'base64url'),
    );
    const { aud, exp, sub } = JSON.parse(Buffer.from(claims, 'base64url').toString()) as Record<
      string,
      unknown
    >;
    const now = Date.now() / 1000;
    return right && aud === audience && Number(exp) > now && Number(exp) <= now + 86_400 ? String(sub) : null;
  } catch {
    return null;
  }
}
