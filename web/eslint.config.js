import svelte from 'eslint-plugin-svelte'
import globals from 'globals'
import ts from 'typescript-eslint'
import svelteConfig from './svelte.config.js'

export default ts.config(
  { ignores: ['dist', 'node_modules', 'src/api/schema.d.ts'] },
  ...ts.configs.recommended,
  ...svelte.configs.recommended,
  { languageOptions: { globals: globals.browser } },
  {
    files: ['**/*.svelte', '**/*.svelte.ts'],
    languageOptions: { parserOptions: { parser: ts.parser, svelteConfig } },
  },
  {
    rules: {
      'svelte/no-navigation-without-resolve': 'off',
      // URLSearchParams is built and read at once here, never kept as state.
      'svelte/prefer-svelte-reactivity': 'off',
      'svelte/no-useless-children-snippet': 'off',
      'svelte/no-useless-mustaches': 'off',
    },
  },
)
