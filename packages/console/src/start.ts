import '@fontsource-variable/atkinson-hyperlegible-next/wght.css';
import '@fontsource-variable/atkinson-hyperlegible-mono/wght.css';
import 'uplot/dist/uPlot.min.css';
import './grid.css';

/** How long the first words may take to be painted, in ms. */
const PAINTED_MS = 200;

// What stands on the page is painted before the script that replaces it runs: fetched it is already.
const begin = (): void => void import('./main');
if (document.visibilityState === 'hidden') begin();
else {
  requestAnimationFrame(() => setTimeout(begin));
  setTimeout(begin, PAINTED_MS);
}
