import js from '@eslint/js';
import prettier from 'eslint-config-prettier';
import globals from 'globals';
import vue from 'eslint-plugin-vue';
import ts from 'typescript-eslint';

export default ts.config(
  { ignores: ['dist/', 'data/', 'node_modules/', 'test-results/', '**/assembly/'] },
  js.configs.recommended,
  ...ts.configs.strict,
  ...ts.configs.stylistic,
  ...vue.configs['flat/recommended'],
  { files: ['**/*.vue'], languageOptions: { parserOptions: { parser: ts.parser } } },
  prettier,
  {
    languageOptions: { globals: { ...globals.node, ...globals.browser } },
    rules: {
      // Indexing typed arrays and known-present maps is the daily bread of the core.
      '@typescript-eslint/no-non-null-assertion': 'off',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      'max-lines': ['error', { max: 420, skipBlankLines: true, skipComments: true }],
      'max-lines-per-function': ['error', { max: 80, skipBlankLines: true, skipComments: true }],
      eqeqeq: 'error',
    },
  },
  // A recipe of a shot is one list of things.
  { files: ['demo/**'], rules: { 'max-lines-per-function': ['error', 120] } },
  // A composable or a store is one closure with small functions in it, as a class would be.
  {
    files: ['src/web/**'],
    rules: { 'max-lines-per-function': ['error', 160], '@typescript-eslint/no-dynamic-delete': 'off' },
  },
  { files: ['**/*.test.ts', 'e2e/**'], rules: { 'max-lines-per-function': 'off' } },
);
