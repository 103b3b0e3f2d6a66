import js from '@eslint/js';
import reactHooks from 'eslint-plugin-react-hooks';
import globals from 'globals';
import ts from 'typescript-eslint';

export default ts.config(
  { ignores: ['dist', 'src/api/schema.ts'] },
  js.configs.recommended,
  ...ts.configs.strict,
  reactHooks.configs.flat['recommended-latest'],
  { languageOptions: { globals: globals.browser } },
);
