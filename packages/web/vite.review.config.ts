import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

/** The page behind a review link is built by itself: nothing of the workspace's interface is in its folder. */
export default defineConfig({
  plugins: [react()],
  publicDir: false,
  build: {
    target: 'es2022',
    outDir: 'dist-review',
    assetsInlineLimit: 2048,
    rolldownOptions: { input: 'review.html' },
  },
});
