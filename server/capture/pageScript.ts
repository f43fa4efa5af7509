/**
 * The script for landing pages, served by the tracking listener as /page.js. It puts the visitor's own click ID into the
 * button links and forms, so that two tabs, browsers without cookies and pages behind caches stay apart. On a page that an
 * ad leads to directly it registers the visit first; otherwise it sends nothing anywhere. One global name: `tracheon`.
 */
import { ARRIVAL_PARAMETER, ARRIVAL_PATH, ARRIVAL_REFERRER } from '@tracheon/core/links';
import { CLICK_ID_PARAMETER, MARK_PARAMETER } from './visitHandles.ts';

export const PAGE_SCRIPT = `(function (w, d) {
  'use strict';
  // A page that has the script several times runs it once.
  if (w.tracheon) return;
  var script = d.currentScript || d.querySelector('script[src$="/page.js"]');
  if (!script || !script.src) return;
  var own = new URL(script.src).origin;
  var here = new URLSearchParams(location.search);
  var names = ['${CLICK_ID_PARAMETER}', '${MARK_PARAMETER}'];
  var ad = here.get('${ARRIVAL_PARAMETER}');
  var known = {};
  var asked = null;
  var mayKeep = script.getAttribute('data-consent') !== 'wait';
  // Kept for this tab alone: further pages of the same site have it too. A browser that keeps nothing goes by the address.
  function keep(name, value) { try { sessionStorage.setItem('visit ' + name, value); } catch (e) {} }
  function kept(name) { try { return sessionStorage.getItem('visit ' + name); } catch (e) { return null; } }
  function keepAll() { names.forEach(function (name) { if (known[name]) keep(name, known[name]); }); }
  function mark(link) {
    var url;
    try { url = new URL(link.href); } catch (e) { return false; }
    if (url.origin !== own || url.pathname.indexOf('/b/') !== 0) return false;
    names.forEach(function (name) { if (known[name]) url.searchParams.set(name, known[name]); });
    if (link.href !== url.href) link.href = url.href;
    return true;
  }
  function each(selector, take) { Array.prototype.forEach.call(d.querySelectorAll(selector), take); }
  function markForm(form) {
    var to;
    try { to = new URL(form.getAttribute('action') || '', location.href); } catch (e) { return; }
    if (to.origin !== own || to.pathname.indexOf('/b/') !== 0) return;
    names.forEach(function (name) {
      var field = form.querySelector('input[name="' + name + '"]');
      if (!known[name]) return;
      if (!field) { field = d.createElement('input'); field.type = 'hidden'; field.name = name; form.appendChild(field); }
      field.value = known[name];
    });
  }
  function markAll() {
    each('a[href], area[href]', mark);
    each('form', markForm);
    // A form of the page's own that wants the click ID has a hidden field for it.
    if (known.${CLICK_ID_PARAMETER}) each('input[type="hidden"][name="${CLICK_ID_PARAMETER}"]', function (field) { field.value = known.${CLICK_ID_PARAMETER}; });
  }
  function register() {
    if (asked) return;
    var query = location.search.slice(1).split('&').filter(function (p) { return p && p.split('=')[0] !== '${ARRIVAL_PARAMETER}'; });
    query.push('${ARRIVAL_REFERRER}=' + encodeURIComponent(d.referrer.slice(0, 500)));
    var to = own + '${ARRIVAL_PATH}' + ad.split('.').slice(0, 2).map(encodeURIComponent).join('/') + '?' + query.join('&');
    asked = fetch(to, { credentials: 'include', cache: 'no-store' })
      .then(function (answer) { return answer.ok ? answer.json() : {}; })
      .then(function (visit) {
        names.forEach(function (name) { if (visit[name]) known[name] = visit[name]; });
        if (visit.${CLICK_ID_PARAMETER}) { keepAll(); keep('ad', location.search); }
        markAll();
      }, function () {});
  }
  function begin() {
    // In the address of a page that an ad leads to, parameters are the source's.
    if (!ad) names.forEach(function (name) { var value = here.get(name); if (value) known[name] = value; });
    // Loaded again with the same address it is the same visit.
    if (!known.${CLICK_ID_PARAMETER} && (!ad || kept('ad') === location.search))
      names.forEach(function (name) { var value = kept(name); if (value) known[name] = value; });
    if (mayKeep) keepAll();
    if (ad && !known.${CLICK_ID_PARAMETER} && mayKeep) register();
    markAll();
  }
  function consent() {
    if (mayKeep) return;
    mayKeep = true;
    begin();
  }
  // Links that are put in later are marked when they are pressed. Who presses before the visit is registered waits for it.
  ['click', 'auxclick', 'keydown'].forEach(function (kind) {
    d.addEventListener(kind, function (event) {
      var link = event.target && event.target.closest ? event.target.closest('a[href], area[href]') : null;
      if (!link || !mark(link) || kind !== 'click') return;
      if (!asked || known.${CLICK_ID_PARAMETER} || event.ctrlKey || event.metaKey || event.shiftKey || (link.target && link.target !== '_self')) return;
      event.preventDefault();
      var gone = false;
      function go() { if (gone) return; gone = true; mark(link); location.href = link.href; }
      asked.then(go);
      setTimeout(go, 2000);
    }, true);
  });
  d.addEventListener('submit', function (event) { if (event.target && event.target.tagName === 'FORM') markForm(event.target); }, true);
  w.tracheon = { clickId: function () { return known.${CLICK_ID_PARAMETER} || ''; }, consent: consent };
  d.addEventListener('tracheon-consent', consent);
  if (d.readyState === 'loading') d.addEventListener('DOMContentLoaded', markAll);
  // A page that is rendered ahead has no visitor yet.
  if (d.prerendering) d.addEventListener('prerenderingchange', begin, { once: true });
  else begin();
})(window, document);
`;
/** A change of the script reaches pages within the hour. */
export const PAGE_SCRIPT_SECONDS = 3600;
