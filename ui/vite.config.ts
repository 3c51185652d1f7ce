import { gzipSync } from 'node:zlib'
import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
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
 * Takes out of the library's utilities what nobody names: it brings a class for every margin at every width. Named is what
 * stands in our sources or the library's own; names that are put together are kept by their beginnings. Our own styles are
 * left as they are: some of their classes are words that only the server says.
 */
const PUT_TOGETHER = [/^(rounded|elevation|border|opacity)(-|$)/, /^(bg|text)-(?!(sm|md|lg|xl|xxl)-)/]
const NAMED_IN = ['./src/**/*.{vue,ts}', './node_modules/vuetify/lib/{components,composables,util}/**/*.js']
function pruned(): Plugin {
  return {
    name: 'pruned',
    apply: 'build',
    enforce: 'pre',
    async transform(code, id) {
      if (!id.includes('/vuetify/lib/styles/utilities.css')) return undefined
      const [found] = await new PurgeCSS().purge({
        content: NAMED_IN.map((glob) => fileURLToPath(new URL(glob, import.meta.url))),
        css: [{ raw: code }],
        safelist: { greedy: PUT_TOGETHER },
        defaultExtractor: (text) => text.match(/[\w-]+/g) ?? [],
      })
      return { code: found!.css, map: null }
    },
  }
}

export default defineConfig({
  plugins: [vue(), vuetify(), guide(), pruned(), zipped()],
  build: {
    outDir: dist,
    emptyOutDir: true,
    chunkSizeWarningLimit: 900,
    rolldownOptions: {
      output: {
        // What the list needs is one file: forty small ones come one behind the other, also from a browser's cache.
        codeSplitting: { groups: [{ name: 'base', test: /\/src\/main\.ts$/ }] },
      },
    },
  },
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
