import next from 'eslint-config-next';
import typescript from 'eslint-config-next/typescript';
import prettier from 'eslint-config-prettier';
import boundaries from 'eslint-plugin-boundaries';

/** One direction: ui → state → engine → core, and cli → core. Nothing points back. */
const layers = [
  { type: 'core', pattern: 'src/core/*', mode: 'folder' },
  { type: 'engine', pattern: 'src/engine', mode: 'folder' },
  { type: 'state', pattern: 'src/state', mode: 'folder' },
  { type: 'ui', pattern: 'src/ui/*', mode: 'folder' },
  { type: 'app', pattern: 'src/app', mode: 'folder' },
  { type: 'cli', pattern: 'src/cli', mode: 'folder' },
  { type: 'offline', pattern: 'src/offline', mode: 'folder' },
];
const from = (type, allowed) => ({ from: [type], allow: allowed });

const OUTWARD = [
  'react',
  'react-dom',
  'next',
  'next/*',
  'antd',
  'dexie',
  'dexie-*',
  'comlink',
  'zustand',
  'node:*',
  '@/engine',
  '@/engine/*',
  '@/state',
  '@/state/*',
  '@/ui/*',
  '@/app/*',
  '@/cli/*',
];

const config = [
  { ignores: ['.next/**', 'public/sw.js', 'out/**', 'next-env.d.ts', 'test-results/**', 'playwright-report/**'] },
  ...next,
  ...typescript,
  {
    files: ['src/**/*.{ts,tsx}'],
    plugins: { boundaries },
    settings: {
      'boundaries/elements': layers,
      'boundaries/include': ['src/**/*'],
      'import/resolver': { typescript: { alwaysTryTypes: true } },
    },
    rules: {
      'boundaries/element-types': [
        'error',
        {
          default: 'disallow',
          rules: [
            from('core', ['core']),
            from('engine', ['core']),
            from('state', ['engine', 'core']),
            from('ui', ['ui', 'state', 'engine', 'core']),
            from('app', ['ui', 'core']),
            from('cli', ['core']),
          ],
        },
      ],
    },
  },
  {
    files: ['src/core/**/*.ts'],
    rules: {
      'no-restricted-imports': [
        'error',
        { patterns: [{ group: OUTWARD, message: 'The core knows nothing outside itself.' }] },
      ],
      'no-restricted-globals': [
        'error',
        'window',
        'document',
        'navigator',
        'localStorage',
        'process',
        'Buffer',
        'require',
        'self',
      ],
    },
  },
  {
    // A folder's face is its index; what lies behind it is its own.
    files: ['src/**/*.{ts,tsx}'],
    ignores: ['src/core/**', 'src/**/*.test.ts', 'src/**/fixtures/**'],
    rules: {
      'no-restricted-imports': [
        'error',
        {
          patterns: [
            { group: ['@/core/*/*', '@/engine/*', '@/state/*', '@/ui/*/*'], message: 'Import from the folder itself.' },
          ],
        },
      ],
    },
  },
  {
    files: ['**/*.{ts,tsx,mts,mjs}'],
    rules: {
      'no-console': 'error',
      '@typescript-eslint/no-unused-vars': [
        'error',
        { argsIgnorePattern: '^_', varsIgnorePattern: '^_', ignoreRestSiblings: true },
      ],
      'max-lines': ['warn', { max: 500, skipBlankLines: true, skipComments: true }],
    },
  },
  {
    files: ['src/**/*.test.ts', 'src/**/fixtures/**', 'e2e/**', 'interop/**', 'fuzz/**', 'bench/**', 'scripts/**'],
    rules: { 'no-restricted-globals': 'off', 'no-restricted-imports': 'off', 'no-console': 'off' },
  },
  prettier,
];

export default config;
