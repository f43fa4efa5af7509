import vue from 'eslint-plugin-vue';
import tseslint from 'typescript-eslint';
import { parse } from 'espree';
import vueParser from 'vue-eslint-parser';

/** What stands in a template is mostly plain JavaScript, which this parser reads in a tenth of the time. */
const templateParser = {
  parseForESLint(code, options) {
    try {
      return { ast: parse(code, options) };
    } catch {
      return tseslint.parser.parseForESLint(code, options);
    }
  },
};

/** Of components alone: what else there is, oxlint looks at (.oxlintrc.json). */
export default tseslint.config(
  { ignores: ['**/node_modules/', '**/dist/', 'data/', 'test-results/'] },
  ...tseslint.configs.recommended,
  {
    rules: {
      eqeqeq: 'error',
      'no-console': 'error',
      'prefer-const': 'error',
      'no-empty': 'error',
      '@typescript-eslint/no-non-null-assertion': 'off',
      '@typescript-eslint/consistent-type-imports': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_' }],
      'max-lines-per-function': ['error', { max: 90, skipBlankLines: true, skipComments: true, IIFEs: true }],
    },
  },
  // By their parser, which takes its time, only what is theirs.
  ...vue.configs['flat/recommended'].map((c) => ({ ...c, files: ['**/*.vue'] })),
  {
    files: ['**/*.vue'],
    languageOptions: {
      parser: vueParser,
      parserOptions: {
        parser: { ts: tseslint.parser, '<template>': templateParser },
        sourceType: 'module',
        ecmaVersion: 'latest',
        // No rule here asks what the browser has.
        lib: [],
        jsDocParsingMode: 'none',
      },
    },
    rules: {
      'vue/no-v-html': 'error',
      'vue/no-undef-components': ['error', { ignorePatterns: ['RouterLink', 'RouterView'] }],
      // Every control is a PrimeVue component; what little stays native stands in web/ui/ with its reason.
      'vue/no-restricted-html-elements': [
        'error',
        ...['button', 'input', 'select', 'option', 'textarea', 'table', 'thead', 'tbody', 'tr', 'td', 'th'],
        ...['dialog', 'details', 'summary', 'datalist'],
      ],
      // Prettier lays the templates out; components without props of their own are common here.
      'vue/max-attributes-per-line': 'off',
      'vue/singleline-html-element-content-newline': 'off',
      'vue/multiline-html-element-content-newline': 'off',
      'vue/html-self-closing': 'off',
      'vue/html-indent': 'off',
      'vue/html-closing-bracket-newline': 'off',
      'vue/first-attribute-linebreak': 'off',
      'vue/require-default-prop': 'off',
      'vue/attributes-order': 'off',
    },
  },
);
