import react from '@vitejs/plugin-react';
import { defineConfig } from 'vitest/config';

export default defineConfig({
  plugins: [react()],
  build: { chunkSizeWarningLimit: 1200, assetsInlineLimit: 0 },
  // A machine that has much else to do is no fault of what is tested.
  test: { testTimeout: 60_000 },
  server: { proxy: { '/api': 'http://127.0.0.1:8099' } },
});
