import js from '@eslint/js'
import hooks from 'eslint-plugin-react-hooks'
import globals from 'globals'
import ts from 'typescript-eslint'

// the compiler's own rules compile every component: nine tenths of the time, so `npm run lint:compiler` alone asks them
const compiler = process.env.npm_lifecycle_event === 'lint:compiler'
const ofHooks = compiler
  ? hooks.configs.flat.recommended
  : {
      plugins: { 'react-hooks': hooks },
      rules: { 'react-hooks/rules-of-hooks': 'error', 'react-hooks/exhaustive-deps': 'error' },
    }

export default ts.config(
  { ignores: ['dist', 'node_modules', 'src/shared/api/schema.gen.ts'] },
  js.configs.recommended,
  ...ts.configs.strict,
  ofHooks,
  { linterOptions: { reportUnusedDisableDirectives: compiler } },
  { files: ['eslint.config.js'], languageOptions: { globals: { process: 'readonly' } } },
  {
    languageOptions: { globals: { ...globals.browser } },
    rules: {
      // a feature is used through its index, a widget through ui's
      'no-restricted-imports': [
        'error',
        {
          patterns: [{ group: ['**/features/*/*'], message: 'Import the feature itself.' }],
          paths: [
            {
              name: 'react-i18next',
              importNames: ['useTranslation'],
              message: 'Use the typed one of shared/i18n: the library types keys too slowly.',
            },
          ],
        },
      ],
    },
  },
)
