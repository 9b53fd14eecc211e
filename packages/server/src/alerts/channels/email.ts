import nodemailer from 'nodemailer';
import { CannotBeSent, type AlertChannel, type Sender } from './channel';

export const email: AlertChannel = { name: 'email', version: 1 };

/** Sends by SMTP (RFC 5321); null for no mail server. */
export function startEmail(smtpUrl: string | null, from: string): Sender {
  const transport =
    smtpUrl === null
      ? null
      : nodemailer.createTransport(smtpUrl, {
          connectionTimeout: 10_000,
          greetingTimeout: 10_000,
          socketTimeout: 20_000,
        } as never);
  return {
    async send({ recipient, subject, text, eventId }) {
      if (transport === null)
        throw new CannotBeSent('No mail server is set. Set PEATMOOR_SMTP_URL and start again.');
      await transport.sendMail({
        from,
        to: recipient,
        subject,
        text,
        headers: { 'X-Peatmoor-Event': String(eventId) },
      });
    },
    close: () => transport?.close(),
  };
}
