import type { NewPushPlace } from '@peatmoor/contract';

/** A name for this browser that its owner knows it by. */
export function thisBrowser(): string {
  const agent = navigator.userAgent;
  const system = /Android/.test(agent)
    ? 'Android'
    : /iPhone|iPad/.test(agent)
      ? 'iOS'
      : /Windows/.test(agent)
        ? 'Windows'
        : /Mac OS/.test(agent)
          ? 'macOS'
          : 'Linux';
  return `this ${/Mobi|Android|iPhone|iPad/.test(agent) ? 'phone' : 'browser'} (${system})`;
}

/** Why this page can take no alerts, and what to do; null where it can. */
export function pushTrouble(): string | null {
  if (!window.isSecureContext)
    return 'A phone or browser takes alerts only from a page that was opened by https. An owner makes a certificate under Settings; then open /trust on this phone.';
  if (!('serviceWorker' in navigator) || !('PushManager' in window))
    return /iPhone|iPad/.test(navigator.userAgent)
      ? 'Put Peatmoor on the home screen first (Share, then Add to Home Screen), and open it from there.'
      : 'This browser takes no push messages. Another one may.';
  if (Notification.permission === 'denied')
    return 'This browser was told to show nothing from this page. Allow notifications beside the address of the page, then come back.';
  return null;
}

/** Asks the browser for where its push messages go. Throws with what to do. */
export async function addThisBrowser(pushKey: string): Promise<{ place: NewPushPlace; mark: string }> {
  if ((await Notification.requestPermission()) !== 'granted')
    throw new Error(
      'The browser did not allow it. Allow notifications beside the address of the page, and try again.',
    );
  const worker = await navigator.serviceWorker.ready;
  const before = await worker.pushManager.getSubscription();
  // One that was made for another key (another database) is of no use.
  await before?.unsubscribe();
  const given = await worker.pushManager
    .subscribe({ userVisibleOnly: true, applicationServerKey: bytesOf(pushKey) })
    .catch((error: Error) => {
      throw new Error(
        `The browser could not reach its push service: ${error.message}. It needs the internet once for this.`,
      );
    });
  const { endpoint, keys } = given.toJSON();
  const place: NewPushPlace = {
    name: thisBrowser().replace('this ', ''),
    endpoint: endpoint!,
    keys: { p256dh: keys!.p256dh!, auth: keys!.auth! },
  };
  const hash = await crypto.subtle.digest('SHA-256', new TextEncoder().encode(endpoint));
  const mark = Array.from(new Uint8Array(hash), (byte) => byte.toString(16).padStart(2, '0'))
    .join('')
    .slice(0, 16);
  return { place, mark };
}

function bytesOf(base64url: string): Uint8Array<ArrayBuffer> {
  const text = atob(base64url.replaceAll('-', '+').replaceAll('_', '/'));
  return Uint8Array.from(text, (letter) => letter.charCodeAt(0));
}
