import { startMailCatcher } from './mail';

// The mail catcher as a program of its own: prints where it listens, and ends with SIGTERM.
const catcher = await startMailCatcher({
  smtpPort: Number(process.env.SMTP_PORT ?? 0),
  pagePort: Number(process.env.PAGE_PORT ?? 0),
});
process.stdout.write(
  `${JSON.stringify({ ready: true, smtpUrl: catcher.smtpUrl, pageUrl: catcher.pageUrl })}\n`,
);
process.on('SIGTERM', () => void catcher.stop().then(() => process.exit(0)));
