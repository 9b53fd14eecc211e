import { createHmac } from 'node:crypto';
import { fillText } from '@peatmoor/core';
import { now as clockNow } from '../../clock';
import { notFound } from '../../problems';
import type { WebhookRow } from '../../store/models';
import { findOne } from '../../store/rows';
import { sendTo } from '../guarded';
import { withDone } from '../severity';
import { CannotBeSent, type AlertChannel, type ChannelParts, type Message, type Sender } from './channel';

/** The signature of a message: HMAC-SHA256 (RFC 2104) over its ID, its time and its body. */
export function signWebhook(secret: string, id: string, seconds: number, body: string): string {
  return `v1,${createHmac('sha256', secret).update(`${id}.${seconds}.${body}`).digest('base64')}`;
}

/** A webhook: events as JSON, or in a form of one's own, signed. `recipient` is its number. */
export const webhook: AlertChannel = { name: 'webhook', version: 1, start: startWebhooks };

function startWebhooks({ store, config, publicUrl }: ChannelParts): Sender {
  const rowOf = async (id: number, workspaceId: number): Promise<WebhookRow> => {
    const row = await findOne(store.models.webhooks, { id, workspaceId });
    if (row === null) throw new CannotBeSent('The webhook is gone. Choose another in the rule.');
    return row;
  };
  const send = async (row: WebhookRow, id: string, body: string): Promise<string> => {
    const seconds = Math.floor(clockNow() / 1000);
    const { status, text } = await sendTo(row.url, {
      headers: {
        'content-type': /^\s*[[{]/.test(body) ? 'application/json' : 'text/plain; charset=utf-8',
        'user-agent': 'Peatmoor',
        'webhook-id': id,
        'webhook-timestamp': String(seconds),
        'webhook-signature': signWebhook(row.secret, id, seconds, body),
      },
      body,
      allowPrivate: config.privateAddresses,
    });
    if (status >= 200 && status < 300) return `answered ${status}`;
    const reason = `${row.title} answered ${status}${text === '' ? '' : `: ${text.slice(0, 120)}`}`;
    // What it does not understand it will not understand later either.
    if (status >= 300 && status < 500 && status !== 408 && status !== 429) throw new CannotBeSent(reason);
    throw new Error(reason);
  };
  return {
    async send(message) {
      const row = await rowOf(Number(message.recipient), message.workspaceId);
      return send(row, message.id, bodyOf(row.template, message, publicUrl()));
    },
    async test({ id, workspaceId }) {
      const row = await findOne(store.models.webhooks, { id: id ?? 0, workspaceId });
      if (row === null) throw notFound('webhook', String(id ?? ''));
      try {
        const detail = await send(
          row,
          `test-${clockNow()}`,
          row.template === '' ? '{"test":true}' : row.template,
        );
        return [{ what: `Sent to ${row.url}`, ok: true, detail }];
      } catch (error) {
        return [{ what: `Sent to ${row.url}`, ok: false, detail: (error as Error).message }];
      }
    },
    close: () => undefined,
  };
}

function bodyOf(template: string, { id, alerts }: Message, publicUrl: string): string {
  const first = alerts[0]!;
  if (template !== '') {
    const places = {
      value: first.event.value === null ? '' : String(first.event.value),
      device: first.event.deviceName,
      datastream: first.event.streamKey,
      rule: first.event.title,
      severity: first.event.severity,
      since: new Date(first.event.openedAt).toISOString(),
      // Of the message, not of the rule.
      subject: alerts.length === 1 ? first.alert.subject : `${alerts.length} alerts: ${first.alert.subject}`,
      text: withDone(first.alert.text, first.done),
    };
    // In JSON a text is written as JSON writes it, without its quotes.
    const isJson = /^\s*[[{]/.test(template);
    const written = Object.fromEntries(
      Object.entries(places).map(([name, text]) => [name, isJson ? JSON.stringify(text).slice(1, -1) : text]),
    );
    return fillText(template, written);
  }
  return JSON.stringify({
    id,
    events: alerts.map(({ alert, event, done }) => ({
      event: event.id,
      phase: alert.phase,
      title: event.title,
      severity: event.severity,
      sentence: event.sentence,
      device: event.deviceId,
      datastream: event.streamKey,
      value: event.value,
      extreme: event.extreme,
      openedAt: event.openedAt,
      closedAt: event.closedAt,
      done,
      url: `${publicUrl}/events/${event.id}`,
    })),
  });
}
