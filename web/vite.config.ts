import react from '@vitejs/plugin-react'
import tailwindcss from '@tailwindcss/vite'
import { VitePWA } from 'vite-plugin-pwa'
import { createHash } from 'node:crypto'
import { readdirSync, readFileSync, statSync } from 'node:fs'
import type { Plugin } from 'vite'
import { firstLoads } from './firstLoads.ts'
import { notices } from './notices.ts'
import { defineConfig } from 'vitest/config'

/** Keeps the application itself on the device after the first visit: its own files only, nothing of the API. */
const offline = VitePWA({
  // a new version waits until somebody says so: never in the middle of a test
  registerType: 'prompt',
  injectRegister: false,
  manifest: {
    name: 'Low Hiss',
    short_name: 'Low Hiss',
    description: 'The static air brake test, conducted and judged.',
    display: 'standalone',
    background_color: '#f2f3ee',
    theme_color: '#f2f3ee',
    icons: [{ src: 'favicon.svg', sizes: 'any', type: 'image/svg+xml' }],
  },
  workbox: {
    globPatterns: ['**/*.{js,css,html,svg,woff2}'],
    // large, and needed only without contact: fetched when there is time (device/deviceJudge.ts), kept by version
    runtimeCaching: [
      {
        urlPattern: ({ url }) => url.pathname.startsWith('/judge/'),
        handler: 'CacheFirst',
        options: { cacheName: 'judge', expiration: { maxEntries: 6 } },
      },
    ],
    navigateFallback: '/index.html',
    navigateFallbackDenylist: [/^\/api\//],
    inlineWorkboxRuntime: true,
    sourcemap: false,
  },
})

/** Ships the judge for devices without contact: Python for browsers, and the very core that the server judges by. */
function deviceJudge(): Plugin {
  const interpreter = new URL('node_modules/pyodide/', import.meta.url)
  const core = new URL('../lowhiss/', import.meta.url)
  const parts = [
    '__init__.py',
    'core',
    'engine/__init__.py',
    'engine/editor/__init__.py',
    'engine/editor/overlay.py',
    'engine/cards.py',
    'engine/debrief.py',
    'engine/debrief_words.py',
    'engine/judge_record.py',
    'engine/lessons.py',
    'engine/on_device.py',
    'engine/practice.py',
    'engine/reference.py',
    'engine/inspections.py',
    'engine/simulation.py',
    'engine/whatif.py',
    'rulebook',
  ]
  const texts = (root: URL, paths: string[], at = '') =>
    paths
      .flatMap((part) => textsBelow(root, part))
      .map((path) => [at + path, readFileSync(new URL(path, root), 'utf8')])
  const files = Object.fromEntries([
    ...texts(core, parts, 'lowhiss/'),
    ...texts(sitePackages(), ['fsrs', 'typing_extensions.py']),
  ]) as Record<string, string>
  const shipped: Record<string, Buffer | string> = {
    'core.json': JSON.stringify(files),
    ...Object.fromEntries(INTERPRETER.map((name) => [name, readFileSync(new URL(name, interpreter))])),
  }
  const hash = createHash('sha256')
  for (const content of Object.values(shipped)) hash.update(content)
  const folder = `judge/${hash.digest('hex').slice(0, 12)}`
  return {
    name: 'device-judge',
    config: () => ({
      define: {
        __JUDGE__: JSON.stringify(`/${folder}/`),
        __JUDGE_FILES__: JSON.stringify(Object.keys(shipped)),
      },
    }),
    // while developing, the same files without a build
    configureServer(server) {
      server.middlewares.use(`/${folder}/`, (request, response, next) => {
        const name = (request.url ?? '').split('?')[0]?.slice(1) ?? ''
        const content = shipped[name]
        if (content === undefined) return next()
        const [, ending = ''] = /\.(\w+)$/.exec(name) ?? []
        response.setHeader('Content-Type', TYPES[ending] ?? 'application/octet-stream')
        response.end(content)
      })
    },
    generateBundle() {
      for (const [name, source] of Object.entries(shipped)) {
        this.emitFile({ type: 'asset', fileName: `${folder}/${name}`, source })
      }
    },
  }
}

const TYPES: Record<string, string> = {
  json: 'application/json',
  mjs: 'text/javascript',
  wasm: 'application/wasm',
}

/** Where the Python packages lie that the server uses: the device has the same ones. */
function sitePackages(): URL {
  const lib = new URL('../.venv/lib/', import.meta.url)
  const python = readdirSync(lib).find((name) => name.startsWith('python3'))
  return new URL(`${python}/site-packages/`, lib)
}

const INTERPRETER = [
  'pyodide.mjs',
  'pyodide.asm.mjs',
  'pyodide.asm.wasm',
  'pyodide-lock.json',
  'python_stdlib.zip',
]

/** The Python and TOML texts at or below a path of the package, as paths from its root. */
function textsBelow(root: URL, path: string): string[] {
  const at = new URL(path, root)
  if (!statSync(at).isDirectory()) return /\.(py|toml)$/.test(path) ? [path] : []
  return readdirSync(at)
    .filter((name) => name !== '__pycache__')
    .flatMap((name) => textsBelow(root, `${path}/${name}`))
}

export default defineConfig({
  plugins: [react(), tailwindcss(), deviceJudge(), firstLoads(), notices(sitePackages), offline],
  worker: { format: 'es' },
  // the page's own host goes along: the server compares it with the origin of every write and socket
  server: {
    proxy: {
      '/api': {
        target: process.env.LOWHISS_DEV_SERVER ?? 'http://127.0.0.1:8420',
        changeOrigin: false,
        ws: true,
      },
    },
  },
  build: {
    outDir: '../lowhiss/static/web',
    emptyOutDir: true,
    assetsInlineLimit: 0,
    chunkSizeWarningLimit: 900,
  },
  test: {
    restoreMocks: true,
    pool: 'vmThreads', // as apart as processes, and three times as quick
    // a page costs a second to lay out: only what is drawn or listens to one gets it
    projects: [
      {
        extends: true,
        test: {
          name: 'logic',
          environment: 'node',
          include: ['src/**/*.test.ts'],
          setupFiles: ['./src/testing/setup.ts'],
        },
      },
      {
        extends: true,
        test: {
          name: 'screens',
          environment: 'jsdom',
          include: ['src/**/*.test.tsx'],
          setupFiles: ['./src/testing/setup.ts', './src/testing/page.ts'],
        },
      },
    ],
  },
})
