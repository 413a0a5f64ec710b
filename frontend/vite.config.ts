import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

export default defineConfig({
  plugins: [react()],
  server: { port: 5173, strictPort: true, proxy: { '/api': { target: 'http://127.0.0.1:8137' } } },
  build: {
    outDir: '../src/jukai/web/static',
    emptyOutDir: true,
    target: 'es2023',
    assetsInlineLimit: 0, // no data: addresses, so that font-src 'self' is enough
    chunkSizeWarningLimit: 1100,
    rolldownOptions: {
      output: {
        codeSplitting: {
          groups: [
            { name: 'three', test: /node_modules[\\/]three/, priority: 2 },
            { name: 'chakra', test: /node_modules[\\/](@chakra-ui|@ark-ui|@zag-js|@emotion)[\\/]/, priority: 2 },
          ],
        },
      },
    },
  },
})
