import http from 'node:http';
import type { AddressInfo } from 'node:net';
import { simpleParser } from 'mailparser';
import { SMTPServer } from 'smtp-server';

const MOST_KEPT = 200;

/** An email as it was caught. */
export interface CaughtMail {
  at: number;
  from: string;
  to: string;
  subject: string;
  text: string;
  /** As a mail reader shows it, with its pictures inside; empty for plain text. */
  html: string;
  messageId: string;
  inReplyTo: string;
  /** Where and how no more of these can be asked for (RFC 8058); empty for nowhere. */
  stop: string;
}

export interface MailCatcher {
  smtpUrl: string;
  pageUrl: string;
  mails(): readonly CaughtMail[];
  stop(): Promise<void>;
}

/** A mail server that delivers nothing: it keeps the newest mails and shows them on a page. Ports 0 choose free ones. */
export async function startMailCatcher(
  options: { smtpPort?: number; pagePort?: number; host?: string } = {},
): Promise<MailCatcher> {
  const { host = '127.0.0.1' } = options;
  const mails: CaughtMail[] = [];
  const smtp = new SMTPServer({
    disabledCommands: ['STARTTLS', 'AUTH'],
    size: 1_000_000,
    onData(stream, session, done) {
      simpleParser(stream)
        .then(({ subject, text, from, html, messageId, inReplyTo, headerLines }) => {
          const to = session.envelope.rcptTo.map(({ address }) => address).join(', ');
          mails.unshift({
            at: Date.now(),
            from: from?.text ?? '',
            to,
            subject: subject ?? '',
            text: text ?? '',
            html: html || '',
            messageId: messageId ?? '',
            inReplyTo: inReplyTo ?? '',
            stop: headerLines
              .filter(({ key }) => key.startsWith('list-unsubscribe'))
              .map(({ line }) => line.slice(line.indexOf(':') + 1).trim())
              .join(' '),
          });
          mails.length = Math.min(mails.length, MOST_KEPT);
          done();
        })
        .catch(done);
    },
  });
  await new Promise<void>((resolve, reject) => {
    smtp.on('error', reject);
    smtp.listen(options.smtpPort ?? 0, '127.0.0.1', resolve);
  });
  const pages = http.createServer((request, response) => {
    if (request.url === '/messages.json') {
      response.writeHead(200, { 'content-type': 'application/json' });
      return response.end(JSON.stringify(mails));
    }
    response.writeHead(200, {
      'content-type': 'text/html; charset=utf-8',
      // What came is somebody's text: nothing of it runs or is fetched.
      'content-security-policy': "default-src 'none'; style-src 'unsafe-inline'; img-src data:",
    });
    const one = mails[Number(/^\/mail\/(\d+)$/.exec(request.url ?? '')?.[1] ?? -1)];
    response.end(one !== undefined && one.html !== '' ? one.html : page(mails));
  });
  await new Promise<void>((resolve, reject) => {
    pages.once('error', reject);
    pages.listen(options.pagePort ?? 0, host, resolve);
  });
  return {
    smtpUrl: `smtp://127.0.0.1:${(smtp.server.address() as AddressInfo).port}`,
    pageUrl: `http://127.0.0.1:${(pages.address() as AddressInfo).port}`,
    mails: () => mails,
    async stop() {
      pages.closeAllConnections();
      await new Promise((resolve) => pages.close(resolve));
      await new Promise<void>((resolve) => smtp.close(resolve));
    },
  };
}

const escape = (text: string): string => text.replace(/[&<>"]/g, (letter) => `&#${letter.charCodeAt(0)};`);

function page(mails: readonly CaughtMail[]): string {
  const rows = mails.map(
    (
      { at, to, subject, text, html },
      i,
    ) => `<article><header><time>${new Date(at).toLocaleString('en-GB')}</time><span>to ${escape(to)}</span>${html === '' ? '' : `<a href="/mail/${i}">as a mail reader shows it</a>`}</header>
<h2>${escape(subject)}</h2><pre>${escape(text)}</pre></article>`,
  );
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">
<meta http-equiv="refresh" content="5"><title>Caught mail</title><style>
body { background: #f6f2e9; color: #2c2420; font: 16px/1.5 "Atkinson Hyperlegible Next", sans-serif; max-width: 44rem; margin: 0 auto; padding: 2rem 1rem }
h1 { font-size: 1.5rem; margin: 0 } p { margin: .25rem 0 2rem } h2 { font-size: 1.1rem; margin: .25rem 0 }
article { border-top: 1px solid #2c242055; padding: 1rem 0 } header { display: flex; justify-content: space-between; gap: 1rem; font-size: .9rem; opacity: .8 }
pre { font: inherit; white-space: pre-wrap; margin: 0 }
</style></head><body><h1>Caught mail</h1><p>This stand-in delivers nothing. What the service sends is kept here until it stops, the newest first.</p>
${rows.join('\n') || '<p>No mail yet.</p>'}</body></html>`;
}
