/** Widgets of one's own to begin with. */
export const OWN_EXAMPLES: readonly { title: string; text: string }[] = [
  {
    title: 'a drawing that fills',
    text: `<svg viewBox="0 0 200 100" style="width:100%;height:100%">
  <rect id="water" x="0" width="200" fill="var(--pool)" opacity="0.55"/>
  <path d="M0 30 Q25 22 50 30 T100 30 T150 30 T200 30 V100 H0 Z" fill="none" stroke="var(--ink)"/>
  <text id="text" x="100" y="70" text-anchor="middle" font-size="18" fill="var(--ink)"></text>
</svg>
<script>
addEventListener('message', ({ data }) => {
  if (data.kind !== 'values') return;
  const { value, min, max, text } = data.streams[0];
  const low = min ?? 0, high = max ?? 100;
  const part = typeof value === 'number' ? Math.min(1, Math.max(0, (value - low) / (high - low))) : 0;
  water.setAttribute('y', 100 - part * 70);
  water.setAttribute('height', part * 70);
  document.getElementById('text').textContent = text;
});
parent.postMessage({ kind: 'ready' }, '*');
</script>
`,
  },
  {
    title: 'buttons for fixed values',
    text: `<style>
  main { display: flex; gap: 8px; height: 100%; align-items: center }
  button { flex: 1; min-height: 48px; font: inherit; color: var(--ink); background: none; border: 1px solid var(--ink) }
  button[aria-pressed=true] { background: var(--heather); color: var(--paper) }
</style>
<main></main>
<script>
const values = [0, 25, 50, 100];
const buttons = values.map((value) => {
  const button = document.createElement('button');
  button.textContent = value;
  button.onclick = () => parent.postMessage({ kind: 'want', stream: 0, value, id: value }, '*');
  document.querySelector('main').append(button);
  return button;
});
addEventListener('message', ({ data }) => {
  if (data.kind === 'values')
    buttons.forEach((button, i) => button.setAttribute('aria-pressed', data.streams[0].value === values[i]));
});
parent.postMessage({ kind: 'ready' }, '*');
</script>
`,
  },
];
