// What every part asks of the page: its elements, and figures as the pages write them.

// Elements are of many kinds; what a selector finds is used as what it is known to be.
/** @type {(sel: string, root?: ParentNode) => any} */
export const $ = (sel, root) => (root || document).querySelector(sel);
/** @type {(sel: string, root?: ParentNode) => any[]} */
export const $$ = (sel, root) => Array.from((root || document).querySelectorAll(sel));
/** What an event happened to. @type {(e: Event) => any} */
export const target = (e) => e.target;

/** Seconds as m:ss. @param {number} s */
export const minutes = (s) => {
  const n = Math.round(Math.abs(s));
  return (s < 0 && n ? '−' : '') + Math.floor(n / 60) + ':' + String(n % 60).padStart(2, '0');
};
/** A number with so many decimals. @param {number} v @param {number} d */
export const figure = (v, d) => v.toFixed(d).replace('-', '−');
