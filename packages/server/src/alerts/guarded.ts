import { lookup } from 'node:dns';
import http from 'node:http';
import https from 'node:https';
import type { LookupFunction } from 'node:net';
import ipaddr from 'ipaddr.js';
import { CannotBeSent } from './channels/channel';

const MOST_ANSWER_BYTES = 4096;
const TIME_LIMIT_MS = 10_000;

/** What somebody outside answered. */
export interface Answered {
  status: number;
  text: string;
  retryAfterS: number | null;
}

/** An address that people gave leads into the network of the service. */
export class PrivateAddressError extends CannotBeSent {}

/** True for addresses that anybody on the internet may be asked at: neither loopback, private, link-local nor reserved. */
export function isPublicAddress(address: string): boolean {
  return ipaddr.isValid(address) && ipaddr.process(address).range() === 'unicast';
}

/** Looks a name up, and refuses it where any of its addresses is private. What was looked up is what is connected to. */
const publicLookup: LookupFunction = (host, options, done) => {
  lookup(host, { ...options, all: true }, (error, addresses) => {
    if (error) return done(error, '', 0);
    const first = addresses[0];
    if (first === undefined || addresses.some(({ address }) => !isPublicAddress(address)))
      return done(new PrivateAddressError(refusalOf(host)), '', 0);
    if (options.all) (done as (error: null, all: typeof addresses) => void)(null, addresses);
    else done(null, first.address, first.family);
  });
};

const refusalOf = (host: string): string =>
  `${host} is an address inside the network. Set PEATMOOR_PRIVATE_ADDRESSES=allow where alerts may go there.`;

/**
 * Sends to an address that a person gave: no redirects, a bounded answer, within ten seconds, and to private addresses only
 * where the settings allow it.
 */
export async function sendTo(
  url: string,
  {
    method = 'POST',
    headers,
    body,
    allowPrivate,
  }: { method?: string; headers: Record<string, string>; body: string | Buffer; allowPrivate: boolean },
): Promise<Answered> {
  const { protocol, hostname } = new URL(url);
  const bare = hostname.replace(/^\[|\]$/g, '');
  if (!allowPrivate && ipaddr.isValid(bare) && !isPublicAddress(bare))
    throw new PrivateAddressError(refusalOf(bare));
  return new Promise((resolve, reject) => {
    const request = (protocol === 'https:' ? https : http).request(
      url,
      {
        method,
        headers: { ...headers, 'content-length': Buffer.byteLength(body) },
        agent: false,
        signal: AbortSignal.timeout(TIME_LIMIT_MS),
        ...(!allowPrivate && { lookup: publicLookup }),
      },
      (response) => {
        const parts: Buffer[] = [];
        let size = 0;
        const end = (): void => {
          const after = Number(response.headers['retry-after']);
          resolve({
            status: response.statusCode ?? 0,
            text: Buffer.concat(parts).toString().slice(0, 300),
            retryAfterS: Number.isFinite(after) ? after : null,
          });
        };
        response.on('data', (part: Buffer) => {
          size += part.length;
          parts.push(part);
          if (size <= MOST_ANSWER_BYTES) return;
          end();
          response.destroy();
        });
        response.on('end', end);
        response.on('error', reject);
      },
    );
    request.on('error', (error) =>
      reject(error.name === 'TimeoutError' ? new Error(`${bare} did not answer within 10 s.`) : error),
    );
    request.end(body);
  });
}
