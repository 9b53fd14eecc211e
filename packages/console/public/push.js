// Shows push messages. Loaded by the service worker; what is shown comes from the service, encrypted (RFC 8291).
/** An address of the service: a proxy may show it under a path. */
const at = (path) => new URL(path.replace(/^\//, ''), self.registration.scope).href;

self.addEventListener('push', (event) => {
  const said = event.data?.json() ?? {
    title: 'Peatmoor',
    body: '',
    tag: 'peatmoor',
    url: '/events',
    over: false,
  };
  const urgent = said.severity === 'urgent' && !said.over;
  event.waitUntil(
    Promise.all([
      self.registration.showNotification(said.title, {
        body: said.body,
        tag: said.tag,
        icon: at('icon-192.png'),
        badge: at('icon-192.png'),
        // What is over takes the place of what was, without a sound.
        silent: said.over,
        renotify: !said.over,
        requireInteraction: urgent,
        data: { url: said.url, acknowledge: said.acknowledge },
        actions:
          said.acknowledge === null || said.over
            ? []
            : [{ action: 'acknowledge', title: said.tag === 'several' ? 'Acknowledge all' : 'Acknowledge' }],
      }),
      badge(),
    ]),
  );
});

/** The number of open events on the icon of the installed app. */
async function badge() {
  if (!('setAppBadge' in navigator)) return;
  try {
    const { open } = await (await fetch(at('api/events/counts'))).json();
    await (open > 0 ? navigator.setAppBadge(open) : navigator.clearAppBadge());
  } catch {
    // Signed out, or not reached: it stays as it is.
  }
}

self.addEventListener('notificationclick', (event) => {
  event.notification.close();
  const { url, acknowledge } = event.notification.data;
  if (event.action === 'acknowledge' && acknowledge) {
    event.waitUntil(
      fetch(at(acknowledge), { method: 'POST' })
        .then((answer) => {
          if (!answer.ok) throw new Error(String(answer.status));
          return self.registration.showNotification('Acknowledged', {
            body: event.notification.title,
            tag: event.notification.tag,
            icon: at('icon-192.png'),
            silent: true,
            data: { url, acknowledge: null },
          });
        })
        // Without an answer it is acknowledged on the page.
        .catch(() => open(url)),
    );
    return;
  }
  event.waitUntil(open(url));
});

/** Goes to a page: in a window that is open already, or in a new one. */
async function open(url) {
  const windows = await self.clients.matchAll({ type: 'window', includeUncontrolled: true });
  const [first] = windows;
  if (first === undefined) return self.clients.openWindow(at(url));
  await first.focus();
  return first.navigate(at(url)).catch(() => self.clients.openWindow(at(url)));
}
