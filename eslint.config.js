import js from '@eslint/js';
import reactHooks from 'eslint-plugin-react-hooks';
import tseslint from 'typescript-eslint';

export default tseslint.config(
  {
    ignores: [
      '**/dist/**',
      '**/dist-review/**',
      'data/**',
      'node_modules/**',
      'test-results/**',
      'playwright-report/**',
    ],
  },
  js.configs.recommended,
  ...tseslint.configs.recommended,
  {
    rules: {
      '@typescript-eslint/consistent-type-imports': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      eqeqeq: ['error', 'always', { null: 'ignore' }],
      'no-restricted-globals': ['error', 'event', 'name'],
      'no-console': ['error', { allow: ['error'] }],
    },
  },
  {
    // A promise that nobody waits for fails where nobody hears it; a case that is missing does nothing.
    files: ['packages/**/*.{ts,tsx}', 'e2e/**/*.ts', 'scripts/*.ts'],
    ignores: ['packages/media/kernel/**', '**/drizzle.config.ts'],
    languageOptions: { parserOptions: { project: './tsconfig.json', tsconfigRootDir: import.meta.dirname } },
    rules: {
      '@typescript-eslint/no-floating-promises': 'error',
      '@typescript-eslint/no-misused-promises': 'error',
      '@typescript-eslint/switch-exhaustiveness-check': [
        'error',
        { considerDefaultExhaustiveForUnions: true },
      ],
    },
  },
  { files: ['scripts/*.mjs'], languageOptions: { globals: { process: 'readonly' } } },
  {
    files: ['**/*.cjs'],
    languageOptions: { sourceType: 'commonjs', globals: { module: 'readonly' } },
  },
  {
    // The core has no clock, no randomness and no I/O: same input, same output, anywhere.
    files: ['packages/core/src/**/*.ts'],
    ignores: ['**/*.test.ts'],
    rules: {
      'no-restricted-syntax': [
        'error',
        {
          selector: "MemberExpression[object.name='Math'][property.name='random']",
          message: 'No randomness in core.',
        },
        {
          selector: "MemberExpression[object.name='Date'][property.name='now']",
          message: 'No clock in core.',
        },
        { selector: "NewExpression[callee.name='Date'][arguments.length=0]", message: 'No clock in core.' },
      ],
    },
  },
  { files: ['packages/web/src/**/*.{ts,tsx}'], ...reactHooks.configs.flat['recommended-latest'] },
);
