/**
 * The script for landing pages, served by the tracking listener as /page.js: it puts the visitor's own click ID into the
 * button links, so that two tabs, browsers without cookies and pages behind caches stay apart. It sends nothing anywhere.
 */
export const PAGE_SCRIPT = `(function () {
  'use strict';
  var script = document.currentScript;
  if (!script || !script.src) return;
  var own = new URL(script.src).origin;
  var here = new URLSearchParams(location.search);
  var known = {};
  ['click_id', '_c'].forEach(function (name) {
    var value = here.get(name);
    // Kept for this tab alone: further pages of the same site have it too.
    try {
      if (value) sessionStorage.setItem('visit ' + name, value);
      else value = sessionStorage.getItem('visit ' + name);
    } catch (e) { /* a browser that keeps nothing: the address still has it */ }
    if (value) known[name] = value;
  });
  function mark(link) {
    var url;
    try { url = new URL(link.href); } catch (e) { return; }
    if (url.origin !== own || url.pathname.indexOf('/b/') !== 0) return;
    Object.keys(known).forEach(function (name) { url.searchParams.set(name, known[name]); });
    if (link.href !== url.href) link.href = url.href;
  }
  function markAll() { Array.prototype.forEach.call(document.querySelectorAll('a[href], area[href]'), mark); }
  // Links that are put in later are marked when they are pressed.
  ['click', 'auxclick', 'keydown'].forEach(function (kind) {
    document.addEventListener(kind, function (event) {
      var link = event.target && event.target.closest ? event.target.closest('a[href], area[href]') : null;
      if (link) mark(link);
    }, true);
  });
  if (document.readyState === 'loading') document.addEventListener('DOMContentLoaded', markAll);
  markAll();
})();
`;
/** A change of the script reaches pages within the hour. */
export const PAGE_SCRIPT_SECONDS = 3600;
