// The browser's scripts: what a browser has, htmx, and nothing else.
const browser = Object.fromEntries(
  [
    'window document location navigator localStorage sessionStorage fetch FormData URLSearchParams URL Blob File Image',
    'XMLHttpRequest Intl CustomEvent Event MutationObserver ResizeObserver AbortController XMLSerializer setTimeout clearTimeout',
    'setInterval clearInterval requestAnimationFrame matchMedia getComputedStyle crypto performance console history',
    'caches HTMLElement HTMLInputElement HTMLFormElement HTMLDialogElement EventSource DataTransfer BroadcastChannel innerWidth htmx Queue Worker OffscreenCanvas ImageData VideoFrame addEventListener postMessage atob',
  ]
    .join(' ')
    .split(' ')
    .map((name) => [name, 'readonly']),
);

const modules = ['web/scripts/app.js', 'web/scripts/app/*.js', 'web/scripts/film.js', 'web/scripts/practice.js', 'web/scripts/film/*.js']; // esbuild makes one script of them

export default [
  {
    files: ['web/scripts/*.js'],
    ignores: modules,
    languageOptions: { ecmaVersion: 2022, sourceType: 'script', globals: browser },
  },
  {
    files: modules,
    languageOptions: { ecmaVersion: 2022, sourceType: 'module', globals: browser },
  },
  {
    files: ['web/scripts/**/*.js'],
    linterOptions: { reportUnusedDisableDirectives: 'error' },
    rules: {
      'no-undef': 'error',
      'no-unused-vars': 'error',
      'no-shadow': 'error',
      'prefer-const': 'error',
      eqeqeq: 'error',
      'no-var': 'error',
      'no-implicit-globals': 'error',
      'no-floating-decimal': 'error',
      'no-eval': 'error',
      'no-implied-eval': 'error',
      'no-inner-declarations': 'error',
      'array-callback-return': 'error',
      'no-promise-executor-return': 'error',
    },
  },
];
