/**
 * The page that is taken along: one HTML file with everything in it, which needs no server and no network. What it holds
 * is put in its place by whoever takes it along.
 */
import { readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import vue from '@vitejs/plugin-vue'
import { defineConfig, type Plugin } from 'vite'
import vuetify from 'vite-plugin-vuetify'

const dist = process.env.CANALETA_FRONT ?? new URL('./dist', import.meta.url).pathname

function oneFile(): Plugin {
  return {
    name: 'one-file',
    apply: 'build',
    closeBundle() {
      const read = (name: string) => readFileSync(join(dist, name), 'utf8')
      // What closes a script or a style within its text would end it in the page.
      const script = read('away.js').replaceAll('</script', '<\\/script')
      const page = readFileSync(new URL('./src/away/page.html', import.meta.url), 'utf8')
        .replace('/*style*/', () => read('away.css'))
        .replace('/*script*/', () => script)
      writeFileSync(join(dist, 'away.html'), page)
      for (const name of ['away.js', 'away.css']) rmSync(join(dist, name))
    },
  }
}

export default defineConfig({
  plugins: [vue(), vuetify(), oneFile()],
  publicDir: false,
  // The library asks what it was built in; a page has no process that could say.
  define: { 'process.env.NODE_ENV': '"production"', 'process.env': '{}', __VUE_OPTIONS_API__: 'false' },
  build: {
    outDir: dist,
    emptyOutDir: false,
    cssCodeSplit: false,
    lib: {
      entry: new URL('./src/away/main.ts', import.meta.url).pathname,
      formats: ['iife'],
      name: 'away',
      fileName: () => 'away.js',
      cssFileName: 'away',
    },
  },
})
