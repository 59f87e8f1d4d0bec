import react from '@vitejs/plugin-react'
import tailwindcss from '@tailwindcss/vite'
import { defineConfig } from 'vitest/config'

export default defineConfig({
  plugins: [react(), tailwindcss()],
  server: { proxy: { '/api': 'http://127.0.0.1:8420' } },
  build: { assetsInlineLimit: 0, chunkSizeWarningLimit: 900 },
  test: { environment: 'jsdom', setupFiles: ['./src/testing/setup.ts'], restoreMocks: true },
})
