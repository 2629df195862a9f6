import vue from 'eslint-plugin-vue'
import ts from 'typescript-eslint'
import parser from 'vue-eslint-parser'

export default [
  { ignores: ['dist', 'src/**/*.gen.ts'] },
  ...ts.configs.recommended,
  ...vue.configs['flat/essential'],
  {
    files: ['**/*.vue'],
    languageOptions: { parser, parserOptions: { parser: ts.parser, sourceType: 'module' } },
  },
  {
    rules: {
      'vue/multi-word-component-names': 'off',
      'no-console': 'error',
      'vue/no-undef-components': ['error', { ignorePatterns: ['RouterLink', 'RouterView'] }],
    },
  },
]
