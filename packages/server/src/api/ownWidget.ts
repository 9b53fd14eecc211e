import type { Express } from 'express';

/** Waits for what its parent gives it, and becomes that. */
const PAGE = `<!doctype html><meta charset="utf-8"><title>Widget</title><script>
addEventListener('message', function take(event) {
  if (event.source !== parent || typeof event.data.page !== 'string') return;
  removeEventListener('message', take);
  document.open();
  document.write(event.data.page);
  document.close();
});
parent.postMessage({ kind: 'loaded' }, '*');
</script>
`;

/**
 * The page in which a widget of one's own runs: in a sandbox, with an origin of its own, where nothing of the service can be read and
 * nothing fetched or sent anywhere. Its text comes from the page that shows it. Where it navigates itself, the policy of that page
 * (frame-src by default-src) holds it to this service.
 */
export function serveOwnWidgets(app: Express): void {
  app.get('/own-widget', (_request, response) => {
    response.setHeader(
      'content-security-policy',
      "sandbox allow-scripts; default-src 'none'; script-src 'unsafe-inline'; style-src 'unsafe-inline'; img-src data:; form-action 'none'; base-uri 'none'",
    );
    response.removeHeader('x-frame-options');
    response.setHeader('cross-origin-resource-policy', 'same-origin');
    response.setHeader('cache-control', 'public, max-age=3600');
    response.type('html').send(PAGE);
  });
}
