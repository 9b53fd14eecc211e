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
    rollupOptions: { treeshake: { moduleSideEffects: (id) => !id.includes('cel-js') } },
  },
});
