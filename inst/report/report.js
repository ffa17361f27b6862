// Tables sort by a click on a heading and filter by what is typed; totals stay at the end.
(function () {
  "use strict";
  function valueOf(row, column) { return row.cells[column].getAttribute("data-value"); }

  function sort(table, heading) {
    var column = heading.cellIndex, numeric = heading.classList.contains("number");
    // Numbers start from the highest, names from A.
    var now = heading.getAttribute("aria-sort");
    var next = now === "none" ? (numeric ? "descending" : "ascending") : (now === "ascending" ? "descending" : "ascending");
    table.querySelectorAll("th").forEach(function (other) { other.setAttribute("aria-sort", "none"); });
    heading.setAttribute("aria-sort", next);
    var sign = next === "ascending" ? 1 : -1;
    var rows = Array.prototype.slice.call(table.tBodies[0].rows);
    rows.sort(function (a, b) {
      var totals = a.classList.contains("total") - b.classList.contains("total");
      if (totals) return totals;
      var x = valueOf(a, column), y = valueOf(b, column);
      if (x === "" || y === "") return (x === "") - (y === "");
      return sign * (numeric ? Number(x) - Number(y) : x.localeCompare(y));
    });
    rows.forEach(function (row) { table.tBodies[0].appendChild(row); });
  }

  function filter(box) {
    var words = box.querySelector("input").value.toLowerCase().split(/\s+/).filter(Boolean);
    var rows = box.querySelectorAll("tbody tr"), shown = 0;
    rows.forEach(function (row) {
      var text = row.textContent.toLowerCase().replace(/\u00a0/g, " ");
      row.hidden = !words.every(function (word) { return text.indexOf(word) >= 0; });
      if (!row.hidden) shown++;
    });
    box.querySelector("output").textContent = shown === rows.length ? rows.length + " rows" : shown + " of " + rows.length + " rows";
  }

  document.querySelectorAll(".table").forEach(function (box) {
    var table = box.querySelector("table");
    table.querySelectorAll("th button").forEach(function (button) {
      button.addEventListener("click", function () { sort(table, button.parentNode); });
    });
    var input = box.querySelector("input");
    if (input) input.addEventListener("input", function () { filter(box); });
  });
  var choice = document.getElementById("switch");
  if (choice) choice.addEventListener("change", function () {
    document.querySelectorAll(".variant").forEach(function (part) {
      part.hidden = part.getAttribute("data-variant") !== choice.value;
    });
  });
  // Paper shows what is closed on the screen.
  var closed = [];
  window.addEventListener("beforeprint", function () {
    closed = Array.prototype.slice.call(document.querySelectorAll("main details:not([open])"));
    closed.forEach(function (part) { part.open = true; });
  });
  window.addEventListener("afterprint", function () { closed.forEach(function (part) { part.open = false; }); });
  if (window.matchMedia("(max-width: 60rem)").matches) document.querySelector("nav details").removeAttribute("open");
})();
