/** What one alert says in a mail. */
export interface MailPart {
  title: string;
  subject: string;
  text: string;
  severity: string;
  phase: string;
  eventUrl: string;
  acknowledgeUrl: string | null;
}

const escape = (text: string): string => text.replace(/[&<>"']/g, (letter) => `&#${letter.charCodeAt(0)};`);

const COLOURS: Record<string, string> = { urgent: '#A8381C', warning: '#2C2420', notice: '#2C2420' };
const STYLE = `
body { margin: 0; background: #F6F2E9; color: #2C2420; }
.sheet { max-width: 34rem; margin: 0 auto; padding: 24px 16px; font: 17px/1.5 "Atkinson Hyperlegible Next", Verdana, sans-serif; }
h1 { font-size: 22px; line-height: 1.3; margin: 0 0 12px; }
.one { border-top: 1px solid #2C242055; padding: 14px 0; }
.state { font-size: 15px; margin: 0 0 4px; }
p { margin: 0 0 10px; }
.soft { font-size: 15px; opacity: 0.8; }
a { color: #2B5F6E; }
.press { display: inline-block; padding: 10px 18px; border: 2px solid #2B5F6E; text-decoration: none; font-weight: bold; margin: 4px 12px 4px 0; }
img { width: 100%; height: auto; border: 0; }
@media (prefers-color-scheme: dark) {
  body { background: #1D1815 !important; color: #EDE6DA !important; }
  .sheet { color: #EDE6DA !important; }
  .one { border-color: #EDE6DA55 !important; }
  a, .press { color: #8FC1CC !important; border-color: #8FC1CC !important; }
  .urgent { color: #F08A68 !important; }
}`;
const WORDS: Record<string, string> = {
  opened: 'Open',
  closed: 'Over',
  reminder: 'Still open',
  escalated: 'Open, and nobody has acknowledged it',
  held: 'Steers too often',
  override: 'Overridden',
  undone: 'Not done',
  unreached: 'Somebody is not told',
};
/** Alerts that one mail tells of in full; the others are behind its link. */
export const MOST_SHOWN = 30;

const partHtml = (
  { title, text, severity, phase, eventUrl, acknowledgeUrl }: MailPart,
  chart: boolean,
): string => {
  const [lines = '', ...rest] = text.split('\n\n');
  return `<div class="one"><p class="state ${severity}" style="color:${COLOURS[severity] ?? '#2C2420'}"><b>${WORDS[phase] ?? phase}</b>, ${escape(severity)}</p>
<h1>${escape(title)}</h1>
<p>${escape(lines).replace(/\n/g, '<br>')}</p>
${chart ? '<p><img src="cid:chart" alt="The readings around it"></p>' : ''}
<p>${acknowledgeUrl === null ? '' : `<a class="press" href="${escape(acknowledgeUrl)}">Acknowledge</a>`}<a href="${escape(eventUrl)}">See the event</a></p>
${rest.map((one) => `<p class="soft">${escape(one)}</p>`).join('\n')}</div>`;
};

/** The text and the HTML of a mail about some alerts. `late`: a sentence where it comes late; `stopUrl`: where no more are asked for. */
export function composeMail(
  parts: readonly MailPart[],
  {
    total = parts.length,
    chart,
    late,
    eventsUrl,
    allUrl = null,
    stopUrl,
  }: {
    /** How many there are, where not all are given. */ total?: number;
    chart: boolean;
    late: string;
    eventsUrl: string;
    /** Where all are acknowledged together; null where there is but one, or none to acknowledge. */
    allUrl?: string | null;
    stopUrl: string | null;
  },
): { text: string; html: string } {
  const shown = parts.slice(0, MOST_SHOWN);
  const rest = total - shown.length;
  const more = rest > 0 ? `${rest} more are at ${eventsUrl}` : '';
  const all = allUrl === null ? '' : `Acknowledge all of these: ${allUrl}`;
  const foot = [all, more, late, stopUrl === null ? '' : `No more of these: ${stopUrl}`].filter(
    (line) => line !== '',
  );
  const text = [
    ...shown.map(({ subject, text: body, eventUrl, acknowledgeUrl }) =>
      [
        ...(shown.length > 1 ? [subject] : []),
        body,
        '',
        `Event: ${eventUrl}`,
        ...(acknowledgeUrl === null ? [] : [`Acknowledge: ${acknowledgeUrl}`]),
      ].join('\n'),
    ),
    ...foot,
  ].join('\n\n');
  const html = `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="color-scheme" content="light dark"><meta name="supported-color-schemes" content="light dark"><style>${STYLE}</style></head>
<body><div class="sheet">${late === '' ? '' : `<p class="soft">${escape(late)}</p>`}
${shown.map((part, i) => partHtml(part, chart && i === 0)).join('\n')}
${allUrl === null ? '' : `<p><a class="press" href="${escape(allUrl)}">Acknowledge all of these</a></p>`}
${more === '' ? '' : `<p>${rest} more are under <a href="${escape(eventsUrl)}">Events</a>.</p>`}
${stopUrl === null ? '' : `<p class="soft"><a href="${escape(stopUrl)}">No more alerts of this rule</a></p>`}</div></body></html>`;
  return { text, html };
}
