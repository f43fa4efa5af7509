import vue from '@vitejs/plugin-vue';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [vue()],
  build: { outDir: 'dist', manifest: true, chunkSizeWarningLimit: 900 },
  server: process.env.TRACHEON_DEV_API ? { proxy: { '/api': process.env.TRACHEON_DEV_API } } : {},
});
