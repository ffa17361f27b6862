// The desk in the browser: sends what the reader does, puts in what the server answers. It computes nothing.
(function () {
  "use strict";
  const byId = (id) => document.getElementById(id);
  const places = { inquiry: 1, choices: 1, problem: 1, findings: 1, aside: 1, figure: 1, table: 1, notice: 1, notes: 1, lines: 1, news: 1,
    earlier: 1, headline: 1, values: 1, added: 1, "adds-up": 1 };
  const dialogs = ["choices", "lines"];
  let opener = null;      // what is to have the focus again when a dialog is closed
  let pointed = null;

  function ask(act, more) {
    Shiny.setInputValue("ask", Object.assign({ act: act }, more || {}), { priority: "event" });
  }

  // A selector that finds the same element again after the server has replaced it.
  function sign(el) {
    if (!el || !el.closest) return null;
    if (el.dataset.part) return '[data-part="' + CSS.escape(el.dataset.part) + '"]:not(form)';
    if (el.name) return '[name="' + CSS.escape(el.name) + '"]' + (el.type === "radio" || el.type === "checkbox" ?
      '[value="' + CSS.escape(el.value) + '"]' : "");
    if (el.dataset.act) return '[data-act="' + CSS.escape(el.dataset.act) + '"]' +
      (el.dataset.column ? '[data-column="' + CSS.escape(el.dataset.column) + '"]' : "");
    return null;
  }

  function put(id, html) {
    const el = byId(id);
    if (!places[id] || !el) return;
    const focused = el.contains(document.activeElement) ? sign(document.activeElement) : null;
    const caret = focused && document.activeElement.selectionStart;
    const scrolls = id === "lines" ? [] : Array.from(el.querySelectorAll(".scroll")).map((s) => s.scrollLeft);
    el.innerHTML = html;
    if (dialogs.includes(id) && html) {
      el.insertAdjacentHTML("afterbegin",
        '<button type="button" class="close" data-act="close" aria-label="Close">\u00d7</button>');
    }
    el.querySelectorAll(".scroll").forEach((s, i) => { if (scrolls[i]) s.scrollLeft = scrolls[i]; });
    if (id === "problem") el.hidden = html === "";
    if (dialogs.includes(id)) show(id, html !== "");
    if (id === "table") { firstCell(); layOut(); }
    if (focused) {
      const again = el.querySelector(focused);
      if (again) {
        again.focus();
        if (caret !== null && again.type === "search") again.setSelectionRange(caret, caret);
      } else if (dialogs.includes(id)) {
        el.focus();
      }
    }
  }

  // Table and figure know which answer they are of; a figure of another answer than the table's is dimmed until its own
  // comes.
  function of(parts) {
    for (const id of ["table", "figure"]) if (id in parts) byId(id).dataset.answer = parts.answer;
    byId("figure").classList.toggle("former", byId("figure").dataset.answer !== byId("table").dataset.answer);
  }

  function show(id, open) {
    const el = byId(id);
    const was = !el.hidden;
    el.hidden = !open;
    if (open && !was) {
      if (id === "choices") place(el);
      const first = el.querySelector("input:checked") ||
        el.querySelector("input:not([disabled]), button:not([disabled]):not(.close), select, a");
      (first || el).focus();
    }
    if (!open && was && opener) {
      const back = opener.isConnected ? opener : document.querySelector(opener.signed || "body");
      if (back) back.focus();
      opener = null;
    }
  }

  // Below what opened it, inside the window.
  function place(el) {
    const at = opener && opener.isConnected ? opener.getBoundingClientRect() : { left: 16, bottom: 80 };
    const room = document.documentElement.clientWidth;
    const width = Math.min(440, room - 24);
    el.style.left = Math.max(12, Math.min(at.left, room - width - 12)) + "px";
    const below = Math.min(at.bottom + 6, Math.max(12, window.innerHeight - 340));
    el.style.top = below + "px";
    el.style.maxHeight = Math.max(260, window.innerHeight - below - 16) + "px";
    el.style.width = width + "px";
  }

  function open(el) {
    opener = el;
    el.signed = sign(el);
  }

  function close() {
    for (const id of dialogs) if (!byId(id).hidden) {
      byId(id).innerHTML = "";
      show(id, false);
      return;
    }
  }

  // The values of a form, by name; lists of those that can be chosen together.
  function given(form) {
    const out = {};
    form.querySelectorAll("input, select").forEach((el) => {
      if (!el.name || el.dataset.act) return;
      if (el.type === "radio") { if (el.checked) out[el.name] = el.value; }
      else if (el.type === "checkbox") {
        if (el.value === "true") out[el.name] = el.checked;
        else { out[el.name] = out[el.name] || []; if (el.checked) out[el.name].push(el.value); }
      } else out[el.name] = el.type === "number" ? Number(el.value) : el.value;
    });
    return out;
  }

  // Those that were checked before keep their order; a new one comes last.
  const order = {};
  function inOrder(form, values) {
    for (const name of ["by", "within", "columns"]) {
      if (!Array.isArray(values[name])) continue;
      const before = order[name] || [];
      values[name] = before.filter((x) => values[name].includes(x)).concat(values[name].filter((x) => !before.includes(x)));
      order[name] = values[name];
    }
    return values;
  }

  function cellOf(el) {
    const row = el.closest("#table tr[data-row], .mark[data-row]");
    if (!row) return null;
    const cell = el.closest("td[data-column]");
    return { row: Number(row.dataset.row), column: cell ? cell.dataset.column : null, el: cell || row,
      answer: Number(row.closest("[data-answer]").dataset.answer) };
  }

  function point(el) {
    const at = cellOf(el);
    const key = at && at.row + " " + at.column;
    if (!at || key === pointed) return;
    pointed = key;
    clearTimeout(point.timer);
    point.timer = setTimeout(() => ask("point", { row: at.row, column: at.column, answer: at.answer }), 120);
  }

  const acts = {
    sort: (el) => ask("sort", { column: el.dataset.column }),
    swap: () => ask("swap"),
    figure: (el) => ask("figure", { figure: el.dataset.figure }),
    mark: (el) => { byId("mark-text").value = ""; ask("mark", { rows: el.dataset.rows }); },
    drop: (el) => ask("drop", { verb: el.dataset.verb, place: Number(el.dataset.place) }),
    close: () => close(),
    first: (el) => ask("first", { column: el.dataset.column }),
    numbers: (el) => { const v = given(el.closest("form")); ask("numbers", { number: v.number, operator: v.operator, value: v.value }); },
    days: (el) => { const v = given(el.closest("form")); ask("days", { from: v.from, until: v.until }); },
    "figure-page": (el) => ask("figure-page", { page: Number(el.dataset.page) }),
    page: (el) => ask("page", { page: Number(el.dataset.page) }),
    "lines-page": (el) => ask("lines-page", { page: Number(el.dataset.page) }),
    "left-out": (el) => ask("left-out", { step: Number(el.dataset.step) }),
    "row-only": () => ask("row-only"), "row-without": () => ask("row-without"), "row-lines": (el) => { ask("row-lines"); byId("choices").hidden = true; },
    aside: (el) => { open(el); ask("aside"); },
    "ways-out": (el) => { open(el); ask("ways-out"); },
    renew: () => ask("renew"),
    "of-link": (el) => ask("link", { link: el.dataset.link, push: true }),
    link: () => copy(window.location.href, "The link"),
    copy: (el) => copy(byId(el.dataset.from).textContent, "It"),
    "add-to-brief": (el) => { const v = given(el.closest("form")); ask("add-to-brief", { name: v.name, replace: v.replace }); }
  };
  function chosen(el, act) {
    const form = el.closest("form");
    const values = Array.from(form.querySelectorAll('input[name="values"]:checked')).map((x) => x.value);
    ask(act, { column: form.querySelector('select[name="column"]').value, values: values });
  }
  acts.only = (el) => chosen(el, "only");
  acts.also = (el) => chosen(el, "also");
  acts.without = (el) => chosen(el, "without");

  function copy(text, what) {
    const done = () => { byId("notice").textContent = what + " copied."; };
    if (navigator.clipboard && window.isSecureContext) {
      navigator.clipboard.writeText(text).then(done, () => fallback(text, done));
    } else fallback(text, done);
  }
  function fallback(text, done) {
    const area = document.createElement("textarea");
    area.value = text;
    area.setAttribute("aria-label", "Text to copy");
    document.body.appendChild(area);
    area.select();
    if (document.execCommand("copy")) done();
    area.remove();
  }

  document.addEventListener("click", (event) => {
    const button = event.target.closest("button, a.file[data-file]");
    if (button && button.dataset.file) {
      event.preventDefault();
      byId("file-" + button.dataset.file).click();
      return;
    }
    if (button && button.dataset.part) { open(button); byId("choices").hidden = true; ask("open", { part: button.dataset.part }); return; }
    if (button && button.dataset.act && acts[button.dataset.act]) { acts[button.dataset.act](button); return; }
    const at = cellOf(event.target);
    if (at) { open(at.el); byId("choices").hidden = true; ask("menu", { row: at.row, column: at.column, answer: at.answer }); return; }
    // A click beside a dialog closes it.
    if (event.target.isConnected && !dialogs.some((id) => byId(id).contains(event.target))) close();
  });

  document.addEventListener("submit", (event) => event.preventDefault());
  document.addEventListener("change", (event) => {
    const el = event.target;
    if (el.dataset.act === "values") { ask("values", { column: el.value }); return; }
    if (el.dataset.act === "of-brief") {
      if (el.value) ask("link", { link: el.value, push: true });
      el.value = "";
      return;
    }
    if (el.dataset.act === "row-split") { if (el.value) ask("row-split", { column: el.value }); return; }
    if (el.id === "mark-text" || el.dataset.act) return;
    const form = el.closest("form[data-part]");
    if (!form || ["counts", "add-to-brief"].includes(form.dataset.part)) return;
    if (byArrow && el.type === "radio") { passed = el; return; }
    choose(form);
  });

  function choose(form) {
    passed = null;
    ask("choose", { part: form.dataset.part, given: inOrder(form, given(form)) });
  }
  // Arrow keys go through a list without choosing: Enter, the space bar or leaving the list does.
  let byArrow = false, passed = null;
  document.addEventListener("keydown", (event) => {
    byArrow = event.key.startsWith("Arrow");
    if (passed && (event.key === "Enter" || event.key === " ")) { event.preventDefault(); choose(passed.form); }
  });
  document.addEventListener("keyup", () => { byArrow = false; });
  document.addEventListener("focusout", (event) => {
    const to = event.relatedTarget;
    if (passed && event.target === passed && !byArrow && to && to.name !== passed.name && to.form === passed.form) choose(passed.form);
  });
  let typing;
  document.addEventListener("input", (event) => {
    const el = event.target;
    clearTimeout(typing);
    if (el.dataset.act === "search") {
      const column = el.closest("form").querySelector('select[name="column"]').value;
      typing = setTimeout(() => ask("values", { column: column, search: el.value }), 200);
    } else if (el.id === "mark-text") {
      typing = setTimeout(() => ask("mark", { rows: el.value ? "text" : "none", text: el.value }), 250);
    }
  });
  document.addEventListener("mouseover", (event) => point(event.target));
  document.addEventListener("focusin", (event) => point(event.target));

  // The keyboard does all that the pointer does: arrows go from cell to cell and from mark to mark.
  function firstCell() {
    const cell = document.querySelector("#table td[tabindex]");
    if (cell) cell.tabIndex = 0;
  }
  function move(from, to) {
    if (!to) return;
    from.tabIndex = -1;
    to.tabIndex = 0;
    to.focus();
  }
  document.addEventListener("keydown", (event) => {
    const el = event.target;
    if (event.key === "Escape") { close(); return; }
    if (event.key === "Tab") { trap(event); return; }
    if (el.matches && el.matches("#table td")) {
      const row = el.parentElement;
      const at = Array.from(row.children).indexOf(el);
      const up = row.previousElementSibling, down = row.nextElementSibling;
      const to = { ArrowLeft: el.previousElementSibling, ArrowRight: el.nextElementSibling, ArrowUp: up && up.children[at],
        ArrowDown: down && down.children[at], Home: row.firstElementChild, End: row.lastElementChild };
      if (event.key in to) { event.preventDefault(); move(el, to[event.key]); }
      if (event.key === "Enter" || event.key === " ") { event.preventDefault(); el.click(); }
    } else if (el.matches && el.matches(".mark")) {
      const step = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[event.key];
      if (step) {
        const marks = Array.from(document.querySelectorAll(".mark"));
        event.preventDefault();
        move(el, marks[marks.indexOf(el) + step]);
      }
    }
  });
  // The focus stays in an open dialog.
  function trap(event) {
    const id = dialogs.slice().reverse().find((id) => !byId(id).hidden);
    if (!id) return;
    const all = Array.from(byId(id).querySelectorAll("input:not([disabled]), button:not([disabled]), select, a[href], pre"));
    if (all.length === 0) return;
    const first = all[0], last = all[all.length - 1];
    if (event.shiftKey && (document.activeElement === first || document.activeElement === byId(id))) {
      event.preventDefault(); last.focus();
    } else if (!event.shiftKey && document.activeElement === last) { event.preventDefault(); first.focus(); }
  }

  // A table that does not fit beside its figure has the whole width below it.
  function layOut() {
    const answer = byId("answer"), table = document.querySelector("#table .scroll");
    answer.classList.remove("wide");
    answer.classList.toggle("wide", !!table && table.scrollWidth > 1.5 * table.clientWidth);
    tellRoom();
  }
  // Figures are drawn for the room that they have.
  let room = 0;
  function tellRoom() {
    const width = Math.round(byId("figure").getBoundingClientRect().width);
    if (width > 0 && Math.abs(width - room) > 24) ask("room", { width: room = width });
  }
  let resized;
  window.addEventListener("resize", () => { clearTimeout(resized); resized = setTimeout(layOut, 300); });

  function begin() {
    Shiny.addCustomMessageHandler("desk-put", (parts) => {
      for (const id of Object.keys(parts)) put(id, parts[id]);
      if (parts.answer) of(parts);
    });
    Shiny.addCustomMessageHandler("desk-former", (former) => { document.body.classList.toggle("former", former); });
    Shiny.addCustomMessageHandler("desk-busy", (busy) => { byId("answer").setAttribute("aria-busy", busy ? "true" : "false"); });
    Shiny.addCustomMessageHandler("desk-settled", (version) => { document.body.dataset.settled = version; });
    Shiny.addCustomMessageHandler("desk-mark", (rows) => {
      document.querySelectorAll('[data-act="mark"]').forEach((b) => b.setAttribute("aria-pressed", String(b.dataset.rows === rows)));
    });
    Shiny.addCustomMessageHandler("desk-link", (to) => {
      for (const name of Object.keys(order)) delete order[name];
      pointed = null;
      document.body.dataset.asked = to.version;
      if (to.push && to.link !== window.location.search) window.history.pushState(null, "", to.link);
      else window.history.replaceState(null, "", to.link);
    });
  }
  window.jQuery(document).on("shiny:connected", tellRoom);
  window.jQuery(document).on("shiny:disconnected", () => {
    byId("problem").textContent = "The desk was closed, or cannot be reached. What you see is its last answer.";
    byId("problem").hidden = false;
    for (const part of document.querySelectorAll("#inquiry, #answer, #choices, #findings, #earlier, footer")) part.inert = true;
    document.body.classList.add("former");
  });
  // Back and forward go through the inquiries that were asked.
  window.addEventListener("popstate", () => ask("link", { link: window.location.search }));
  window.addEventListener("resize", () => { if (!byId("choices").hidden) place(byId("choices")); });
  if (window.Shiny && Shiny.addCustomMessageHandler) begin();
  else document.addEventListener("DOMContentLoaded", begin);
})();
