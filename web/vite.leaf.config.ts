/** The page that stands alone: one script and one style, with the fonts within. The server puts them into one file. */
import tailwindcss from '@tailwindcss/vite'
import { svelte } from '@sveltejs/vite-plugin-svelte'
import { defineConfig } from 'vite'

export default defineConfig({
  plugins: [tailwindcss(), svelte()],
  define: { 'process.env.NODE_ENV': '"production"' },
  build: {
    target: 'es2022',
    outDir: 'dist/leaf',
    emptyOutDir: true,
    assetsInlineLimit: 1 << 24,
    lib: {
      entry: 'src/leaf/main.ts',
      formats: ['iife'],
      name: 'leaf',
      fileName: () => 'leaf.js',
      cssFileName: 'leaf',
    },
  },
})
