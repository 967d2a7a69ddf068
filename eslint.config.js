import reactHooks from 'eslint-plugin-react-hooks';
import tseslint from 'typescript-eslint';

export default tseslint.config(
  {
    ignores: [
      '**/dist/**',
      '**/dist-unsealed/**',
      '**/.site/**',
      '**/*.generated.ts',
      'src/web-platform.d.ts',
      '.work/**',
      '.cache/**',
    ],
  },
  ...tseslint.configs.strictTypeChecked.map((config) => ({
    ...config,
    files: ['src/**/*.ts', 'test/**/*.ts', 'bench/**/*.ts', 'scripts/**/*.ts', 'examples/**/*.{ts,tsx}'],
  })),
  {
    files: ['src/**/*.ts', 'test/**/*.ts', 'bench/**/*.ts', 'scripts/**/*.ts', 'examples/**/*.{ts,tsx}'],
    languageOptions: {
      parserOptions: {
        project: [
          './tsconfig.json',
          './tsconfig.browser.json',
          './examples/console/tsconfig.json',
          './examples/workbench/tsconfig.json',
        ],
        tsconfigRootDir: import.meta.dirname,
      },
    },
    rules: {
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true }],
      '@typescript-eslint/no-unnecessary-condition': 'error',
      '@typescript-eslint/consistent-type-imports': 'error',
      // Paths and passwords are checked for control characters on purpose.
      'no-control-regex': 'off',
      eqeqeq: 'error',
    },
  },
  {
    files: ['examples/console/src/**/*.{ts,tsx}'],
    plugins: { 'react-hooks': reactHooks },
    rules: {
      ...reactHooks.configs.recommended.rules,
      // Handlers in JSX: what a call gives back is thrown away there, and that reads best on one line.
      '@typescript-eslint/no-confusing-void-expression': ['error', { ignoreArrowShorthand: true }],
    },
  },
  {
    // node:test's `test()` returns a promise the runner itself awaits.
    files: ['test/**/*.ts'],
    rules: {
      '@typescript-eslint/no-floating-promises': 'off',
      '@typescript-eslint/no-non-null-assertion': 'off',
    },
  },
);
