import type { Transporter } from 'nodemailer';
import { showDuration } from '@peatmoor/core';
import { now as clockNow } from '../../clock';
import { composeMail, MOST_SHOWN } from '../mail';
import { bySeverity, isPressing, severalIn, withDone } from '../severity';
import { CannotBeSent, type AlertChannel, type ChannelParts, type Message, type Sender } from './channel';

/** Email by SMTP (RFC 5321). `recipient` is the address. */
export const email: AlertChannel = { name: 'email', version: 1, start: startEmail };

/** What is told though the event is over. */
const ENDS_OR_OWN: ReadonlySet<string> = new Set(['closed', 'held', 'override', 'undone', 'unreached']);
/** What comes later than this after it happened says so, in ms. */
const LATE_MS = 120_000;
export const NO_MAIL = 'No mail server is set. Set PEATMOOR_SMTP_URL and start again.';

/** A name for mails about one event, so that they stand together. */
const threadOf = (eventId: number, host: string): string => `<event-${eventId}@${host}>`;

/** Sends a mail; throws where there is no mail server. */
export type Mailer = ReturnType<typeof createMailer>;
export function createMailer({ smtpUrl, mailFrom }: ChannelParts['config']) {
  let opened: Promise<Transporter> | null = null;
  const open = async (url: string): Promise<Transporter> => {
    const { default: nodemailer } = await import('nodemailer');
    return nodemailer.createTransport(url, {
      connectionTimeout: 10_000,
      greetingTimeout: 10_000,
      socketTimeout: 20_000,
    } as never);
  };
  /** The way to the mail server, made when it is first needed; null where none is set. What failed is tried again. */
  const transportOf = async (): Promise<Transporter | null> => {
    if (smtpUrl === null) return null;
    opened ??= open(smtpUrl).catch((error: unknown) => {
      opened = null;
      throw error;
    });
    return opened;
  };
  return {
    /** False where there is no mail server. */
    isSet: smtpUrl !== null,
    async send(mail: Parameters<Transporter['sendMail']>[0]): Promise<string> {
      const transport = await transportOf();
      if (transport === null) throw new CannotBeSent(NO_MAIL);
      try {
        const { response } = (await transport.sendMail({ from: mailFrom, ...mail })) as { response?: string };
        return `the mail server answered ${(response ?? '').slice(0, 120)}`;
      } catch (error) {
        const { responseCode } = error as { responseCode?: number };
        // RFC 5321 §4.2.1: 5yz is final.
        if (responseCode !== undefined && responseCode >= 500)
          throw new CannotBeSent(`The mail server refused it: ${(error as Error).message}`);
        throw error;
      }
    },
    /** Whether the mail server would take mails; null where none is set. Throws with what it said. */
    async verify(): Promise<true | null> {
      const transport = await transportOf();
      if (transport === null) return null;
      await transport.verify();
      return true;
    },
    close: () =>
      void opened?.then(
        (transport) => transport.close(),
        () => undefined,
      ),
  };
}

function startEmail({ config, links, chartOf, publicUrl, log }: ChannelParts): Sender {
  const mailer = createMailer(config);
  const send = async (message: Message): Promise<string> => {
    const { recipient, id } = message;
    const over = new Set(
      message.alerts.flatMap(({ alert }) => (alert.phase === 'closed' ? alert.eventId : [])),
    );
    // What opened and is over already is told once: that it is over says both.
    const alerts = message.alerts.filter(
      ({ alert }) => ENDS_OR_OWN.has(alert.phase) || !over.has(alert.eventId),
    );
    const ranked = bySeverity(alerts);
    const host = new URL(publicUrl()).hostname;
    const last = alerts.at(-1)!;
    const events = new Set(alerts.map(({ event }) => event.id));
    const chart =
      events.size === 1
        ? await chartOf(last.event).catch(
            (error: Error) => (log.debug({ err: error }, 'a mail goes without chart'), null),
          )
        : null;
    const rules = new Set(alerts.map(({ rule }) => rule?.id ?? 0));
    const [ruleId] = rules;
    // One click may only be offered where the whole world can press it (RFC 8058).
    const stop =
      rules.size === 1 && ruleId !== 0 ? ({ what: 'stop', ruleId: ruleId!, to: recipient } as const) : null;
    const oneClick = stop !== null && config.publicUrl?.startsWith('https://') === true;
    const happened = alerts.reduce((first, { alert, event }) => {
      const at =
        alert.phase === 'closed'
          ? (event.closedAt ?? event.openedAt)
          : alert.phase === 'opened'
            ? event.openedAt
            : alert.queuedAt;
      return Math.min(first, at);
    }, Infinity);
    const lateBy = clockNow() - happened;
    const several =
      new Set(
        alerts.flatMap(({ event }) =>
          event.closedAt === null && event.acknowledgedAt === null ? event.id : [],
        ),
      ).size > 1;
    const { text, html } = composeMail(
      ranked.slice(0, MOST_SHOWN).map(({ alert, event, done }) => ({
        title: `${event.title} (${event.deviceName})`,
        subject: alert.subject,
        text: withDone(alert.text, done),
        severity: event.severity,
        phase: alert.phase,
        eventUrl: `${publicUrl()}/events/${event.id}`,
        acknowledgeUrl:
          event.closedAt !== null || event.acknowledgedAt !== null || alert.phase === 'closed'
            ? null
            : links.page({ what: 'event', eventId: event.id, userId: alert.userId, to: recipient }),
      })),
      {
        total: alerts.length,
        chart: chart !== null,
        late: lateBy > LATE_MS ? `This comes ${showDuration(lateBy)} after it happened.` : '',
        eventsUrl: `${publicUrl()}/events`,
        allUrl: several
          ? links.page({ what: 'events', message: id, userId: last.alert.userId, to: recipient })
          : null,
        stopUrl: stop === null ? null : links.page(stop),
      },
    );
    const thread = threadOf(last.event.id, host);
    return mailer.send({
      to: recipient,
      subject: events.size === 1 ? last.alert.subject : severalIn(ranked),
      ...(alerts.some(isPressing) && { priority: 'high' as const }),
      text,
      html,
      messageId: `<${id}@${host}>`,
      ...(events.size === 1 && { inReplyTo: thread, references: thread }),
      headers: {
        'X-Peatmoor-Event': [...events].slice(0, 20).join(' '),
        'Auto-Submitted': 'auto-generated',
        ...(oneClick && {
          'List-Unsubscribe': `<${publicUrl()}/api/alert-links/${links.make(stop)}>`,
          'List-Unsubscribe-Post': 'List-Unsubscribe=One-Click',
        }),
      },
      ...(chart !== null && {
        attachments: [{ filename: 'chart.png', content: chart, cid: 'chart', contentType: 'image/png' }],
      }),
    });
  };
  return {
    send,
    async test({ email: to }) {
      const hops = [
        {
          what: 'A mail server is set',
          ok: config.smtpUrl !== null,
          detail: config.smtpUrl === null ? NO_MAIL : new URL(config.smtpUrl).host,
        },
      ];
      if (config.smtpUrl === null) return hops;
      try {
        const detail = await mailer.send({
          to,
          subject: 'A test from Peatmoor',
          text: `So an alert of Peatmoor comes to ${to}. It was asked for under Your alerts.\n\n${publicUrl()}/alerts`,
          headers: { 'Auto-Submitted': 'auto-generated' },
        });
        return [...hops, { what: `It takes a mail to ${to}`, ok: true, detail }];
      } catch (error) {
        return [...hops, { what: `It takes a mail to ${to}`, ok: false, detail: (error as Error).message }];
      }
    },
    close: mailer.close,
  };
}
