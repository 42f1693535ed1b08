// What is broader than the screen is moved by keys too, and is a stop for the keyboard only where it is.
import { $$ } from './page.js';

const sizes = new ResizeObserver((entries) => {
  for (const { target } of entries) reachable(/** @type {HTMLElement} */ (target));
});

/** @param {HTMLElement} box */
function reachable(box) {
  if (box.scrollWidth > box.clientWidth) box.tabIndex = 0;
  else if (box !== document.activeElement) box.removeAttribute('tabindex');
}

/** Looks at the scrollers of a page, and at those that came with a change. */
export function scrollers() {
  // The race is a stop for its own keys, too.
  for (const box of $$('.scroller:not([data-race])')) {
    reachable(box);
    sizes.observe(box);
  }
}
