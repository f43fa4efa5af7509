import vue from '@vitejs/plugin-vue';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [vue()],
  build: {
    outDir: 'dist',
    manifest: true,
    chunkSizeWarningLimit: 900,
    rolldownOptions: {
      output: {
        // What several screens share comes in one file: a request each for a hundred small ones costs more than it saves.
        // Zod alone in its own, and what the entry loads the rest by: it sets Zod up before anything makes schemas.
        codeSplitting: {
          groups: [
            { name: 'preload', test: /preload-helper/, priority: 3 },
            { name: 'zod', test: /node_modules.zod/, priority: 2 },
            {
              name: 'shared',
              minShareCount: 12,
              maxModuleSize: 60_000,
            },
          ],
        },
      },
    },
  },
  server: process.env.TRACHEON_DEV_API ? { proxy: { '/api': process.env.TRACHEON_DEV_API } } : {},
});
