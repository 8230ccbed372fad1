import js from '@eslint/js';
import globals from 'globals';

const rules = {
  ...js.configs.recommended.rules,
  eqeqeq: 'error',
  'no-implicit-globals': 'error',
  'no-restricted-properties': [
    'error',
    // What is data never becomes markup.
    { property: 'innerHTML' },
    { property: 'outerHTML' },
    { property: 'insertAdjacentHTML' },
  ],
  'no-shadow': 'error',
  'no-var': 'error',
  'prefer-const': 'error',
};

export default [
  {
    files: ['**/page.js'],
    languageOptions: {
      globals: { ...globals.browser, Dygraph: 'readonly' },
      sourceType: 'script',
    },
    rules,
  },
  {
    files: ['**/*.mjs'],
    languageOptions: { globals: { ...globals.node, ...globals.browser } },
    rules,
  },
];
