import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [react()],
  server: {
    port: 4610,
    proxy: {
      '/api': {
        target: `http://127.0.0.1:${process.env.MIVVY_PORT ?? 4600}`,
        changeOrigin: true,
        headers: { origin: `http://127.0.0.1:${process.env.MIVVY_PORT ?? 4600}` },
      },
    },
  },
  build: {
    target: 'es2022',
    chunkSizeWarningLimit: 1200,
    // Fonts are files of their own, so that the style sheet stays small and they are loaded once.
    assetsInlineLimit: 2048,
  },
});
