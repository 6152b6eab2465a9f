/** Run the tests of what computes without a browser: made plain for Node, then by its own test runner. */
import { spawnSync } from 'node:child_process'
import { mkdtempSync, readdirSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { build } from 'vite'

const here = fileURLToPath(new URL('.', import.meta.url))
const names = readdirSync(here).filter((name) => name.endsWith('.test.ts'))
// Beside the packages, so that what is imported from them is found.
const made = mkdtempSync(join(here, '../node_modules/.tests-'))
try {
  await build({
    configFile: false,
    logLevel: 'error',
    build: {
      ssr: true,
      outDir: made,
      emptyOutDir: true,
      rollupOptions: {
        input: names.map((name) => join(here, name)),
        output: { entryFileNames: '[name].mjs' },
      },
    },
  })
  const files = readdirSync(made).filter((name) => name.endsWith('.test.mjs'))
  const ran = spawnSync(
    process.execPath,
    ['--test', '--test-reporter=dot', ...files.map((name) => join(made, name))],
    {
      stdio: 'inherit',
    },
  )
  process.exitCode = ran.status ?? 1
} finally {
  rmSync(made, { recursive: true, force: true })
}
