import js from '@eslint/js';
import prettier from 'eslint-config-prettier';
import vue from 'eslint-plugin-vue';
import tseslint from 'typescript-eslint';
import vueParser from 'vue-eslint-parser';

export default tseslint.config(
  { ignores: ['**/dist/', 'node_modules/', 'coverage/', 'server/migrations/'] },
  js.configs.recommended,
  ...tseslint.configs.recommendedTypeChecked,
  ...vue.configs['flat/recommended'],
  {
    languageOptions: {
      parser: vueParser,
      parserOptions: {
        parser: tseslint.parser,
        project: ['./tsconfig.json', './web/tsconfig.json', './tests/browser/tsconfig.json'],
        tsconfigRootDir: import.meta.dirname,
        extraFileExtensions: ['.vue'],
      },
    },
    rules: {
      '@typescript-eslint/no-unused-vars': [
        'error',
        { argsIgnorePattern: '^_', varsIgnorePattern: '^_', destructuredArrayIgnorePattern: '^_' },
      ],
      '@typescript-eslint/consistent-type-imports': 'error',
      // A number or a list in a message is meant.
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true, allowArray: false }],
      // TypeScript itself reports names that are not defined.
      'no-undef': 'off',
      'vue/multi-word-component-names': ['error', { ignores: ['app'] }],
      eqeqeq: 'error',
    },
  },
  // ESLint cannot see the types of .vue files; vue-tsc can, and checks these.
  {
    files: ['web/**'],
    rules: {
      '@typescript-eslint/no-unsafe-assignment': 'off',
      '@typescript-eslint/no-unsafe-argument': 'off',
      '@typescript-eslint/no-unsafe-call': 'off',
      '@typescript-eslint/no-unsafe-member-access': 'off',
      '@typescript-eslint/no-unsafe-return': 'off',
    },
  },
  // Asserting by expect().rejects and mocks of call signatures give false alarms in tests.
  { files: ['**/*.test.ts'], rules: { '@typescript-eslint/require-await': 'off' } },
  // Making the types of every component for ESLint took two thirds of its time; vue-tsc checks them. What has to be awaited belongs into composables.
  {
    files: ['**/*.vue'],
    ...tseslint.configs.disableTypeChecked,
    languageOptions: { parserOptions: { project: null } },
  },
  { files: ['**/*.js', '**/*.mjs'], ...tseslint.configs.disableTypeChecked },
  prettier,
);
