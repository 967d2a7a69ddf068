import tseslint from 'typescript-eslint';

export default tseslint.config(
  { ignores: ['**/dist/**', '**/.site/**', '**/*.generated.ts', '.work/**', '.cache/**'] },
  ...tseslint.configs.strictTypeChecked.map((config) => ({
    ...config,
    files: ['src/**/*.ts', 'test/**/*.ts', 'bench/**/*.ts', 'scripts/**/*.ts', 'examples/**/*.ts'],
  })),
  {
    files: ['src/**/*.ts', 'test/**/*.ts', 'bench/**/*.ts', 'scripts/**/*.ts', 'examples/**/*.ts'],
    languageOptions: {
      parserOptions: {
        project: ['./tsconfig.json', './tsconfig.browser.json', './tsconfig.core.json'],
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
    // node:test's `test()` returns a promise the runner itself awaits.
    files: ['test/**/*.ts'],
    rules: {
      '@typescript-eslint/no-floating-promises': 'off',
      '@typescript-eslint/no-non-null-assertion': 'off',
    },
  },
);
