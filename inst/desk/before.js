// The page's library once calls setTimeout with undefined, which a browser would evaluate as code; the page's policy
// forbids that.
(function () {
  const later = window.setTimeout;
  window.setTimeout = (act, ...more) => (typeof act === "function" ? later(act, ...more) : 0);
})();
