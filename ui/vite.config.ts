import { gzipSync } from 'node:zlib'
import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import vue from '@vitejs/plugin-vue'
import { PurgeCSS } from 'purgecss'
import { defineConfig, type Plugin } from 'vite'
import vuetify from 'vite-plugin-vuetify'
import { guide } from './guide'

const dist = process.env.CANALETA_FRONT ?? new URL('./dist', import.meta.url).pathname

/** Compresses text files once at build time, so that the server only hands them out. */
function zipped(): Plugin {
  return {
    name: 'zipped',
    apply: 'build',
    closeBundle() {
      for (const name of readdirSync(join(dist, 'assets'))) {
        if (!/\.(js|css|svg)$/.test(name)) continue
        const file = join(dist, 'assets', name)
        writeFileSync(`${file}.gz`, gzipSync(readFileSync(file), { level: 9 }))
      }
    },
  }
}

/**
 * Takes out of the styles what nothing names: the library brings a class for every margin at every width. What is named is
 * looked for in the scripts as they are built; names that are put together there are kept by their beginnings.
 */
const PUT_TOGETHER = [/^v-/, /^(rounded|elevation|border|opacity)(-|$)/, /^(bg|text)-(?!(sm|md|lg|xl|xxl)-)/]
function pruned(): Plugin {
  return {
    name: 'pruned',
    apply: 'build',
    enforce: 'post',
    async generateBundle(_, bundle) {
      const content = Object.values(bundle).flatMap((one) =>
        one.type === 'chunk' ? [{ raw: one.code, extension: 'js' }] : [],
      )
      for (const one of Object.values(bundle)) {
        if (one.type !== 'asset' || !one.fileName.endsWith('.css')) continue
        const [found] = await new PurgeCSS().purge({
          content,
          css: [{ raw: String(one.source) }],
          safelist: { greedy: PUT_TOGETHER, standard: ['html', 'body', ':root'] },
          defaultExtractor: (text) => text.match(/[\w-]+/g) ?? [],
        })
        one.source = found!.css
      }
    },
  }
}

export default defineConfig({
  plugins: [vue(), vuetify(), guide(), pruned(), zipped()],
  build: { outDir: dist, emptyOutDir: true, chunkSizeWarningLimit: 700 },
  worker: { format: 'es' },
  server: { proxy: { '/api': process.env.CANALETA_API ?? 'http://127.0.0.1:8412' } },
  test: {
    environment: 'happy-dom',
    // One environment for all files: made anew for each, it takes ten times as long as the tests.
    isolate: false,
    globals: true,
    // A test waits for what it does, not for a clock: on a machine that is busy otherwise it may take minutes.
    testTimeout: 600_000,
    hookTimeout: 600_000,
    include: ['src/**/*.test.ts'],
    server: { deps: { inline: ['vuetify'] } },
  },
} as Parameters<typeof defineConfig>[0])
