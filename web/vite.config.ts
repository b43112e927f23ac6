import { readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { brotliCompressSync, gzipSync } from 'node:zlib'
import vue from '@vitejs/plugin-vue'
import vuetify from 'vite-plugin-vuetify'
import { defineConfig, type Plugin } from 'vite'

/** Lays a .gz and a .br beside every text asset, so that the server need not compress. */
function precompress(): Plugin {
  const walk = (dir: string): string[] =>
    readdirSync(dir).flatMap((name) => {
      const path = join(dir, name)
      return statSync(path).isDirectory() ? walk(path) : [path]
    })
  return {
    name: 'precompress',
    apply: 'build',
    closeBundle() {
      for (const path of walk('dist').filter((p) => /\.(js|css|html|svg)$/.test(p))) {
        const bytes = readFileSync(path)
        writeFileSync(path + '.gz', gzipSync(bytes, { level: 9 }))
        writeFileSync(path + '.br', brotliCompressSync(bytes))
      }
    },
  }
}

export default defineConfig({
  plugins: [vue(), vuetify({ autoImport: true }), precompress()],
  build: { target: 'es2022', chunkSizeWarningLimit: 800 },
  server: { proxy: { '/api': 'http://127.0.0.1:8080' } },
})
