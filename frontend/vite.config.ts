import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'
import type { Plugin } from 'vite'

/** Have the page's chunks fetched side by side, also those that it only asks for once its first ones have run. */
const preload: Plugin = {
  name: 'preload',
  transformIndexHtml: {
    order: 'post',
    handler: (_, { bundle }) =>
      Object.values(bundle ?? {})
        .filter(
          (file) => file.type === 'chunk' && ['BenchPage', 'view', 'three'].includes(file.name),
        )
        .map(({ fileName }) => ({
          tag: 'link',
          attrs: { rel: 'modulepreload', crossorigin: true, href: `/${fileName}` },
          injectTo: 'head' as const,
        })),
  },
}

export default defineConfig({
  plugins: [react(), preload],
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
            {
              name: 'chakra',
              test: /node_modules[\\/](@chakra-ui|@ark-ui|@zag-js|@emotion)[\\/]/,
              priority: 2,
            },
          ],
        },
      },
    },
  },
})
