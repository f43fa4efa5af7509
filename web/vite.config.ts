import vue from '@vitejs/plugin-vue';
import { defineConfig, type Plugin } from 'vite';

/** What endpoints do and who may call them is written for the server and its API document: the browser reads none of it. */
const forServers = [
  /\n\s+group: '[^']+',(?=\n\s+summary:)/g,
  /\n\s+least: '(?:viewer|editor|owner|anyone)',/g,
  /\n\s+refuses: \[[^\]]*\],/g,
];
const withoutSummaries: Plugin = {
  name: 'without-summaries',
  enforce: 'pre',
  transform: (code, id) =>
    /core\/contract\/\w+\.ts$/.test(id)
      ? {
          code: forServers
            .reduce((text, part) => text.replaceAll(part, ''), code)
            .replaceAll(/(\bsummary:\s+)'(?:[^'\\\n]|\\.)*'/g, "$1''"),
          map: null,
        }
      : null,
};

export default defineConfig({
  plugins: [withoutSummaries, vue()],
  build: {
    outDir: 'dist',
    manifest: true,
    chunkSizeWarningLimit: 900,
    rolldownOptions: {
      // The desk, and the partner page: two apps of one build, each on a listener of its own.
      input: ['./index.html', './partners.html'],
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
