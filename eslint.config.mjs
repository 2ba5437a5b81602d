import next from 'eslint-config-next';
import typescript from 'eslint-config-next/typescript';
import prettier from 'eslint-config-prettier';
import boundaries from 'eslint-plugin-boundaries';
import globals from 'globals';
import { builtinModules } from 'node:module';

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
  '@/engine',
  '@/engine/*',
  '@/state',
  '@/state/*',
  '@/ui/*',
  '@/app/*',
  '@/cli/*',
];

/** Rooms of the core in order: each uses only rooms before it. */
const ROOMS = [
  'errors',
  'bytes',
  'size',
  'place',
  'device',
  'health',
  'image',
  'table',
  'fs',
  'layout',
  'inspect',
  'proof',
  'files',
  'plan',
  'run',
  'practice',
  'goal',
  'report',
  'job',
  'session',
];

/** What the standards of the language, and those that browsers and servers share, do not have. */
const OUTSIDE = [
  ...Object.keys({ ...globals.browser, ...globals.worker, ...globals.node }).filter(
    (name) => !(name in globals.builtin) && !(name in globals['shared-node-browser']),
  ),
  'navigator',
  'localStorage',
  'fetch',
];

const PAGES = ['src/{app,state,ui}/**/*.{ts,tsx}'];
const NOT_CODE = ['src/**/*.test.ts', 'src/**/fixtures/**'];
const THROUGH_FACE = {
  // Down into another folder past its face; fixtures are for tests.
  regex: '^\\.{1,2}(/\\.\\.)*/(?!\\.\\.)[^/]+/(?!.*\\.css$)',
  message: 'Import from the folder itself.',
};

/** A room, which knows no room behind it and nothing outside the core. */
const room = (name, i) => ({
  files: [`src/core/${name}/**/*.ts`],
  ignores: NOT_CODE,
  rules: {
    'no-restricted-imports': [
      'error',
      {
        patterns: [
          { group: OUTWARD, message: 'The core knows nothing outside itself.' },
          { regex: `^(node:.*|${builtinModules.join('|')})(/|$)`, message: 'The core runs without Node.' },
          {
            regex: `^@/core/(?!(${ROOMS.slice(0, i).join('|') || '-'})$)`,
            message: 'Only the faces of rooms before it.',
          },
          {
            regex: `^\\.\\..*/(${ROOMS.filter((r) => r !== name).join('|')})(/|$)`,
            message: 'Rooms are named from @/core.',
          },
          THROUGH_FACE,
        ],
      },
    ],
    'no-restricted-globals': ['error', ...OUTSIDE],
  },
});

const config = [
  { ignores: ['.next/**', 'public/sw.js', 'out/**', 'next-env.d.ts', 'test-results/**', 'playwright-report/**'] },
  // Rules of React, and of pages, where there are any: some of them compile each function anew.
  ...next.map((config) => (config.name === 'next' ? { ...config, files: PAGES } : config)),
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
  // A room that is not in the list may use none, until it is.
  room('*', 0),
  ...ROOMS.map(room),
  {
    // A folder's face is its index; what lies behind it is its own.
    files: ['src/**/*.{ts,tsx}'],
    ignores: ['src/core/**', ...NOT_CODE],
    rules: {
      'no-restricted-imports': [
        'error',
        {
          patterns: [
            { group: ['@/core/*/*', '@/engine/*', '@/state/*', '@/ui/*/*'], message: 'Import from the folder itself.' },
            THROUGH_FACE,
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
      'max-lines': ['error', 300],
    },
  },
  {
    files: ['src/core/**/*.ts'],
    ignores: NOT_CODE,
    rules: { 'max-lines-per-function': ['error', { max: 60 }] },
  },
  {
    files: [...NOT_CODE, 'e2e/**', 'interop/**', 'fuzz/**', 'bench/**', 'scripts/**'],
    rules: { 'no-console': 'off' },
  },
  prettier,
];

export default config;
