import vueTs from '@vue/eslint-config-typescript'
import vue from 'eslint-plugin-vue'

export default [
  { ignores: ['src/api/schema.d.ts', 'node_modules/**'] },
  ...vue.configs['flat/recommended'],
  ...vueTs(),
  {
    rules: {
      'vue/max-attributes-per-line': 'off',
      'vue/singleline-html-element-content-newline': 'off',
      'vue/html-self-closing': 'off',
      'vue/html-indent': 'off',
      'vue/html-closing-bracket-newline': 'off',
      'vue/multiline-html-element-content-newline': 'off',
    },
  },
]
