import reactHooks from 'eslint-plugin-react-hooks'
import tseslint from 'typescript-eslint'

/** Double assertions silence the checker altogether. */
const noDoubleAssertion = {
  selector: 'TSAsExpression > TSAsExpression > TSUnknownKeyword',
  message: 'Read the value through a schema or a type guard instead of asserting twice.',
}

const noRawControl = {
  selector: 'JSXOpeningElement[name.name=/^(input|select|textarea|table|dialog|button)$/]',
  message: 'The kit has this control.',
}

const noHandMadeTabs = {
  selector: 'JSXAttribute[name.name="role"] > Literal[value=/^(tab|tablist)$/]',
  message: 'The kit has tabs.',
}

/** Names that say nothing of what they hold; a second reader has to guess. */
const noVagueName = {
  selector:
    ':matches(VariableDeclarator > Identifier.id, :function > Identifier.params, Property > Identifier.value)[name=/^(one|other|found|wish|known|standing|most|mine|theirs)$/]:not(Property[shorthand=false] > Identifier)',
  message: 'Name what this holds in the words of the trade: pool, candidate, intent, match.',
}

export default tseslint.config(
  { ignores: ['build/**', '.react-router/**', 'node_modules/**', 'reports/**', '.tmp/**'] },
  ...tseslint.configs.recommended,
  {
    files: ['**/*.{ts,tsx}'],
    rules: {
      '@typescript-eslint/no-explicit-any': 'error',
      '@typescript-eslint/no-non-null-assertion': 'error',
      '@typescript-eslint/consistent-type-imports': 'error',
      '@typescript-eslint/no-unused-vars': [
        'error',
        { argsIgnorePattern: '^_', varsIgnorePattern: '^_' },
      ],
      eqeqeq: 'error',
      'no-empty': ['error', { allowEmptyCatch: false }],
      'no-nested-ternary': 'error',
      'prefer-const': 'error',
      'no-console': 'error',
      'no-restricted-syntax': ['error', noDoubleAssertion, noVagueName],
    },
  },
  {
    files: ['**/*.{ts,tsx}'],
    ignores: ['**/*.test.ts', '**/testing/**', '**/says.ts', 'e2e/**', 'demo/**'],
    rules: {
      'max-lines': ['error', 400],
      'max-lines-per-function': ['error', 80],
    },
  },
  {
    files: ['app/**/*.{ts,tsx}'],
    plugins: { 'react-hooks': reactHooks },
    rules: { 'react-hooks/rules-of-hooks': 'error', 'react-hooks/exhaustive-deps': 'error' },
  },
  {
    files: ['app/areas/**/*.tsx'],
    rules: {
      'no-restricted-syntax': [
        'error',
        noDoubleAssertion,
        noVagueName,
        noRawControl,
        noHandMadeTabs,
      ],
    },
  },
  {
    files: ['core/**/*.ts', 'standin/**/*.ts'],
    ignores: ['**/*.test.ts'],
    rules: {
      'no-restricted-globals': [
        'error',
        'process',
        'Buffer',
        'window',
        'document',
        'fetch',
        'setTimeout',
        'setInterval',
        'performance',
      ],
      'no-restricted-properties': [
        'error',
        { object: 'Math', property: 'random', message: 'Randomness is seeded and passed in.' },
        { object: 'Date', property: 'now', message: 'Time is passed in.' },
      ],
    },
  },
  { files: ['scripts/**', 'bench/**'], rules: { 'no-console': 'off' } },
)
