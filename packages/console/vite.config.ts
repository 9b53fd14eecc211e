import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [react()],
  // Files are named relative to one another: a proxy may show the service under a path.
  base: './',
  build: {
    outDir: 'dist',
    emptyOutDir: true,
    // By it the service tells a browser which files its first page needs.
    manifest: true,
    target: 'es2022',
    chunkSizeWarningLimit: 1500,
    // The formula library does nothing until it is called, but does not say so: pages without formulas go without it.
    rolldownOptions: {
      treeshake: { moduleSideEffects: (id) => !id.includes('cel-js') },
      output: {
        // What most pages need is one file, and what forms and menus need another: each file of its own costs a request.
        codeSplitting: {
          groups: [
            {
              name: 'base',
              test: /node_modules\/(@emotion|@tanstack|@date-fns|react|react-dom|react-router|scheduler|@mui\/(system|utils\/(?!useRovingTabIndex)|styled-engine|private-theming|material\/(styles|utils|colors|zero-styled|Box|Button|ButtonBase|Typography|Link|Svg\w*|use(?!Autocomplete)\w*)))\//,
              priority: 3,
            },
            {
              name: 'forms',
              test: /@mui\/material\/(TextField|Select|Menu|MenuItem|MenuList|Modal|Popover|Checkbox|internal|Dialog\w*|Form\w*|\w*Input\w*|List\w*|Divider|Grow|Fade|Backdrop|Portal|FocusTrap|Unstable_TrapFocus)\//,
              minShareCount: 3,
              priority: 2,
            },
            { name: 'common', minShareCount: 14, priority: 1 },
            // What a page has of its own is a few small files less.
            { name: 'parts', test: /packages\/(console|core|contract)\/src/, minShareCount: 8, priority: 0 },
          ],
        },
      },
    },
  },
});
