import react from '@vitejs/plugin-react'
import tailwindcss from '@tailwindcss/vite'
import { VitePWA } from 'vite-plugin-pwa'
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
    navigateFallback: '/index.html',
    navigateFallbackDenylist: [/^\/api\//],
    inlineWorkboxRuntime: true,
    sourcemap: false,
  },
})

export default defineConfig({
  plugins: [react(), tailwindcss(), offline],
  server: { proxy: { '/api': 'http://127.0.0.1:8420' } },
  build: { assetsInlineLimit: 0, chunkSizeWarningLimit: 900 },
  test: { environment: 'jsdom', setupFiles: ['./src/testing/setup.ts'], restoreMocks: true },
})
