import { composeMail, type MailPart } from '../src/alerts/mail';
import { isPublicAddress, sendTo } from '../src/alerts/guarded';
import { createLinks, type LinkFor } from '../src/alerts/links';
import type { Signer } from '../src/auth/secrets';
import { choicesOf, quietUntil } from '../src/alerts/reaching';
import { signWebhook } from '../src/alerts/channels/webhook';
import { startHookCatcher } from '@peatmoor/standins';

const at = (text: string): number => Date.parse(text);

it.each([
  ['before midnight', '2026-01-10T23:30:00Z', '2026-01-11T07:00:00Z'],
  ['after midnight', '2026-01-11T03:00:00Z', '2026-01-11T07:00:00Z'],
  ['by day', '2026-01-11T12:00:00Z', null],
  ['at their end', '2026-01-11T07:00:00Z', null],
  // The clocks go forward at 01:00: seven by the clock is six by the sun.
  ['over the change of clocks', '2026-03-28T23:30:00Z', '2026-03-29T06:00:00Z'],
])('quiet hours %s', (_name, now, end) => {
  const quiet = { from: 22 * 60, to: 7 * 60 };
  expect(quietUntil(quiet, 'Europe/London', at(now))).toBe(end === null ? null : at(end));
});

it('has quiet hours within a day, of no length, and none', () => {
  const now = at('2026-01-11T12:30:00Z');
  expect(quietUntil({ from: 12 * 60, to: 13 * 60 }, 'UTC', now)).toBe(at('2026-01-11T13:00:00Z'));
  expect(quietUntil({ from: 60, to: 60 }, 'UTC', now)).toBeNull();
  expect(quietUntil(null, 'UTC', now)).toBeNull();
});

it('fills what a person did not choose with the usual', () => {
  expect(choicesOf({}).channels.warning).toEqual(['email', 'push']);
  expect(choicesOf({ channels: { notice: [], warning: [], urgent: ['push'] } }).channels).toEqual({
    notice: [],
    warning: [],
    urgent: ['push'],
  });
});

it.each([
  ['203.0.113.7', false], // kept for documentation
  ['45.1.2.3', true],
  ['127.0.0.1', false],
  ['10.1.2.3', false],
  ['172.20.0.1', false],
  ['192.168.1.9', false],
  ['169.254.169.254', false],
  ['100.64.0.1', false],
  ['0.0.0.0', false],
  ['::1', false],
  ['::ffff:10.0.0.1', false],
  ['fe80::1', false],
  ['fd00::1', false],
  ['2600::1', true],
  ['nonsense', false],
])('knows whether %s is anybody’s to ask: %s', (address, isPublic) => {
  expect(isPublicAddress(address)).toBe(isPublic);
});

it('asks nobody inside the network, by whatever name, and reads no more of an answer than it needs', async () => {
  const hook = await startHookCatcher();
  try {
    const body = { headers: {}, body: '' };
    for (const url of [
      hook.url,
      hook.url.replace('127.0.0.1', 'localhost'),
      hook.url.replace('127.0.0.1', '[::ffff:127.0.0.1]'),
    ])
      await expect(sendTo(url, { ...body, allowPrivate: false })).rejects.toThrow(/inside the network/);
    expect(hook.hooks()).toHaveLength(0);
    expect((await sendTo(hook.url, { ...body, allowPrivate: true })).status).toBe(204);
    hook.answer(302);
    expect((await sendTo(hook.url, { ...body, allowPrivate: true })).status).toBe(302);
    expect(hook.hooks()).toHaveLength(2);
    await expect(sendTo('http://127.0.0.1:9', { ...body, allowPrivate: true })).rejects.toThrow(
      /ECONNREFUSED/,
    );
  } finally {
    await hook.stop();
  }
});

it('makes links that say what they are for, and no others', () => {
  const signed = new Map<string, string>();
  const signer: Signer = {
    sign: (text) => (signed.set(`s${signed.size}`, text), `s${signed.size - 1}`),
    check: (text) => signed.get(text) ?? null,
  };
  const links = createLinks(signer, () => 'https://moor.example');
  const link: LinkFor = { what: 'event', eventId: 7, userId: 2, to: 'warden@quillmere.example' };
  expect(links.read(links.make(link))).toEqual(link);
  expect(links.page(link)).toMatch(/^https:\/\/moor\.example\/alert\/s\d+$/);
  expect(links.read('made up')).toBeNull();
});

const part = (change: Partial<MailPart> = {}): MailPart => ({
  title: 'Bog floods (North)',
  subject: 'urgent: Bog floods (North, -50 mm)',
  text: 'Level is -50 mm.\nOpened.\n\nWhen Level is above -100 mm.',
  severity: 'urgent',
  phase: 'opened',
  eventUrl: 'https://moor.example/events/7',
  acknowledgeUrl: 'https://moor.example/alert/s',
  ...change,
});
const around = { chart: false, late: '', eventsUrl: 'https://moor.example/events', stopUrl: null };

it('writes a mail as text and as HTML that says the same', () => {
  const { text, html } = composeMail([part()], {
    ...around,
    chart: true,
    late: 'This comes 1 h after it happened.',
  });
  expect(text).toContain('Acknowledge: https://moor.example/alert/s');
  expect(text).toContain('This comes 1 h after it happened.');
  expect(html).toContain('src="cid:chart"');
  expect(html).toContain('<h1>Bog floods (North)</h1>');
  expect(html).toContain('prefers-color-scheme: dark');
});

it('escapes whatever a device or a person wrote', () => {
  const { html } = composeMail(
    [
      part({
        title: '<img src=x onerror=alert(1)>',
        text: '"><script>alert(1)</script>',
        eventUrl: 'https://moor.example/?a="b',
      }),
    ],
    around,
  );
  expect(html).not.toContain('<script>');
  expect(html).not.toContain('<img src=x');
  expect(html).not.toContain('?a="b');
});

it('lists many in one mail, and leads to the rest', () => {
  const { text, html } = composeMail(
    Array.from({ length: 45 }, (_, n) => part({ title: `Event ${n}`, acknowledgeUrl: null })),
    { ...around, stopUrl: 'https://moor.example/alert/stop' },
  );
  expect(html.match(/<h1>/g)).toHaveLength(30);
  expect(html).toContain('15 more are under');
  expect(text).toContain('15 more are at https://moor.example/events');
  expect(text).toContain('No more of these: https://moor.example/alert/stop');
  expect(html).not.toContain('>Acknowledge<');
});

it('signs a webhook over its number, time and body', () => {
  const one = signWebhook('hook_x', 'a', 5, '{}');
  expect(one).toMatch(/^v1,[A-Za-z0-9+/]{43}=$/);
  expect(
    new Set([
      one,
      signWebhook('hook_y', 'a', 5, '{}'),
      signWebhook('hook_x', 'b', 5, '{}'),
      signWebhook('hook_x', 'a', 6, '{}'),
      signWebhook('hook_x', 'a', 5, '{ }'),
    ]).size,
  ).toBe(5);
});
