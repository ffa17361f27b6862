// The page's library hands "nothing" to setTimeout once, which a browser takes for text to run; the page forbids that.
(function () {
  const later = window.setTimeout;
  window.setTimeout = (act, ...more) => (typeof act === "function" ? later(act, ...more) : 0);
})();
