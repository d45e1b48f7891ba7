import js from '@eslint/js';
import svelte from 'eslint-plugin-svelte';
import globals from 'globals';
import ts from 'typescript-eslint';

/** Imports point one way: lib, then project, then views, then stations, then the shell that knows which six. */
const ROOMS = ['lib', 'project', 'views', 'stations', 'shell'];
const oneWay = ROOMS.slice(0, -1).map((room, i) => ({
  files: [`src/${room}/**`],
  rules: {
    'no-restricted-imports': [
      'error',
      {
        patterns: ROOMS.slice(i + 1).map((above) => ({
          group: [`**/${above}/**`],
          message: `${room} is imported by ${above}, not the other way round.`,
        })),
      },
    ],
  },
}));
/** No station imports another one. */
const apart = ['still', 'sight', 'block', 'cast', 'move', 'deliver'].map((station, _, all) => ({
  files: [`src/stations/${station}/**`],
  rules: {
    'no-restricted-imports': [
      'error',
      {
        patterns: [
          {
            group: [...all.filter((s) => s !== station).map((s) => `**/${s}/**`), '**/shell/**'],
            message: 'A station knows no other station and not the shell.',
          },
        ],
      },
    ],
  },
}));

export default ts.config(
  { ignores: ['dist', 'src/lib/api/schema.d.ts'] },
  js.configs.recommended,
  ...ts.configs.recommended,
  ...svelte.configs.recommended,
  { languageOptions: { globals: { ...globals.browser } } },
  {
    files: ['**/*.svelte', '**/*.svelte.ts'],
    languageOptions: { parserOptions: { parser: ts.parser } },
    rules: { 'svelte/no-navigation-without-resolve': 'off' },
  },
  {
    files: ['src/**/*.svelte'],
    ignores: ['src/lib/**'],
    rules: {
      // the library's components, in our kinds (`lib/theme.ts`)
      'svelte/no-restricted-html-elements': [
        'error',
        {
          elements: ['button', 'input', 'select', 'table', 'dialog', 'textarea'],
          message: 'Take the library’s component, or ours in lib that is built from it.',
        },
      ],
    },
  },
  ...oneWay,
  ...apart,
);
