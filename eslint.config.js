import vue from 'eslint-plugin-vue'
import typescript from 'typescript-eslint'
import { layers } from './scripts/layers.js'

/** Of Math only what IEEE 754 and ECMAScript specify to the last bit; the rest differs between engines. */
const EXACT = ['abs', 'min', 'max', 'floor', 'ceil', 'round', 'sqrt', 'trunc', 'imul', 'fround', 'sign', 'clz32']

export default typescript.config(
  { ignores: ['**/node_modules/**', '**/dist/**', '**/generated/**', '**/*.as.ts', '.fennip/**'] },
  ...typescript.configs.recommended,
  ...vue.configs['flat/recommended'],
  { files: ['**/*.vue'], languageOptions: { parserOptions: { parser: typescript.parser } } },
  {
    rules: {
      'vue/multi-word-component-names': 'off',
      'vue/max-attributes-per-line': 'off',
      'vue/singleline-html-element-content-newline': 'off',
      'vue/multiline-html-element-content-newline': 'off',
      'vue/html-self-closing': 'off',
      'vue/first-attribute-linebreak': 'off',
      'vue/html-closing-bracket-newline': 'off',
      'vue/html-indent': 'off',
      'vue/attributes-order': 'off',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/no-non-null-assertion': 'off',
      '@typescript-eslint/unified-signatures': 'off',
    },
  },
  {
    // One subject a file. The schema of the treatment is data; measurements and tests read from top to bottom.
    files: ['{core,codec,delivery,server,web,cli,demo,scripts}/**/*.{ts,vue}'],
    ignores: ['**/*.test.ts', 'core/treatment/schema.ts'],
    rules: { 'max-lines': ['error', { max: 250, skipBlankLines: true, skipComments: true }] },
  },
  {
    files: ['core/**/*.ts'],
    ignores: ['**/*.test.ts'],
    plugins: { fennip: { rules: { layers } } },
    rules: {
      'fennip/layers': 'error',
      'no-restricted-syntax': [
        'error',
        {
          selector: `MemberExpression[object.name='Math'][property.name!=/^(${EXACT.join('|')})$/]`,
          message: 'This function differs between engines in its last bits; use core/numbers/exact-math.ts.',
        },
        { selector: 'MemberExpression[object.name="Math"][property.name="random"]', message: 'Use a seed: core/random.ts.' },
      ],
      'no-restricted-imports': ['error', { patterns: ['node:*', 'vue', '@fennip/server/*', '@fennip/web/*', '@fennip/codec/*'] }],
    },
  },
)
