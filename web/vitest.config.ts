import { fileURLToPath } from 'node:url'
import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vitest/config'

export default defineConfig({
  plugins: [vue()],
  resolve: {
    alias: [
      {
        find: /^vuetify$/,
        replacement: fileURLToPath(new URL('node_modules/vuetify/dist/vuetify.esm.js', import.meta.url)),
      },
    ],
  },
  test: {
    environment: 'jsdom',
    maxWorkers: '100%', // beside nothing else but the checker of types
    testTimeout: 300_000, // beside other work a test takes as long as it takes
    setupFiles: ['src/test-setup.ts'],
  },
})
