import { zoneHere } from '@peatmoor/core';
import { NO_CHOICES, type Me } from '@peatmoor/contract';
import { BASE, herePath } from './base';

/** Pages of share links begin with this. */
export const SHARED_PATH = '/shared/';
/** True on the page of a share link: whoever looks at it is nobody's account, also in a browser where somebody is signed in. */
export const isVisitor = herePath().startsWith(SHARED_PATH);
/** What stands in the address of a share link. */
export const sharedSecret = isVisitor ? herePath().slice(SHARED_PATH.length).split('/')[0]! : '';

/** Headers of every call of this page. */
export const headers: Record<string, string> = isVisitor
  ? { authorization: `Bearer link_${sharedSecret}` }
  : {};

/** Goes on with what a passphrase opened. */
export function visitWith(credential: string): void {
  headers.authorization = `Bearer ${credential}`;
}

/** An address with what a visitor's page is read with, where no header can be sent with it. */
export function forVisitor(address: string): string {
  if (!isVisitor) return address;
  const credential = headers.authorization!.replace('Bearer link_', '');
  return `${address}${address.includes('?') ? '&' : '?'}link=${encodeURIComponent(credential)}`;
}

/** What the parts of a page know of whoever looks at it, where that is a visitor. */
export const VISITOR: Me = {
  user: { id: 0, email: '', name: '', units: 'metric', ...NO_CHOICES },
  workspace: {
    id: 0,
    title: '',
    // Asked for by visitors alone: a browser takes a while to find it out.
    get zone() {
      return zoneHere();
    },
    place: null,
    recordDays: null,
  },
  role: 'none',
  steers: false,
  ownsService: false,
  address: {
    httpUrl: location.origin + BASE,
    host: location.hostname,
    mqttPort: 0,
    localName: null,
    tls: null,
  },
  version: 0,
};
