import js from '@eslint/js';
import globals from 'globals';

// Modules as browsers run them, without a build step.
export default [
  js.configs.recommended,
  {
    languageOptions: { ecmaVersion: 2025, sourceType: 'module', globals: globals.browser },
    rules: {
      eqeqeq: 'error',
      'no-var': 'error',
      'prefer-const': 'error',
      'no-shadow': 'error',
      'no-implicit-globals': 'error',
      'no-use-before-define': ['error', { functions: false, classes: false, variables: false }],
      'no-unused-vars': ['error', { caughtErrors: 'none' }],
    },
  },
];
