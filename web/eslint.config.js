import js from '@eslint/js'
import hooks from 'eslint-plugin-react-hooks'
import globals from 'globals'
import ts from 'typescript-eslint'

export default ts.config(
  { ignores: ['dist', 'node_modules', 'src/shared/api/schema.gen.ts'] },
  js.configs.recommended,
  ...ts.configs.strict,
  hooks.configs.flat.recommended,
  {
    languageOptions: { globals: { ...globals.browser } },
    rules: {
      // a feature is used through its index, a widget through ui's
      'no-restricted-imports': [
        'error',
        { patterns: [{ group: ['**/features/*/*'], message: 'Import the feature itself.' }] },
      ],
    },
  },
)
