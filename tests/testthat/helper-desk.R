# A desk for tests of what stands behind the page, and one served by a process for the page itself.

# What a reader does and sees, asked without a browser: the tests of the desk reach inside here and nowhere else.
inside_desk <- c(
  "add_to_brief", "adds_up_words", "answer_figure", "answer_table_tags", "aside_tags", "asked_number", "begin_with",
  "brief_desk", "brief_states", "changed_state", "check_state", "choice_form", "column_choices", "column_forms",
  "condition_words", "desk_act", "desk_acts", "desk_answer", "desk_parts", "desk_findings", "drawn_figure",
  "answer_picture", "earlier_tags", "figure_kinds", "figure_tags", "file_name_of", "findings_tags", "first_state",
  "group_digits", "kept_picture",
  "headline_tags", "html_of", "is_own_brief", "left_out_lines", "left_out_tags", "lines_tags", "marked_rows",
  "new_desk", "new_reader", "new_state", "new_token", "number_kinds", "offer_findings", "percent_text",
  "plain_columns_text", "possible_figures", "refusal_response", "refused_request", "remember_state", "restrict_by",
  "row_conditions", "row_menu", "row_words", "rows_of_page", "sentence_tags", "signed_percent", "state_code",
  "state_link", "state_of_link", "state_text", "tie_rules", "token_response", "total_rows", "valid_state",
  "value_choices", "value_condition", "values_choices", "ways_out_tags", "with_desk_headers"
)
for (name in inside_desk) assign(name, utils::getFromNamespace(name, "hinterfeld"))

a_desk <- local({
  desk <- NULL
  function() {
    desk <<- desk %||% new_desk(demo_daybook())
    desk
  }
})

desk_state <- function(...) {
  new_state(list(...))
}

html_text <- function(tags) {
  as.character(html_of(htmltools::tagList(tags)))
}

# A reader without a page: what it would be sent. With `draws`, every act runs to its end, later ones too; without,
# until the table is there.
a_reader <- function(draws = FALSE) {
  session <- new.env()
  session$sent <- list()
  session$closed <- FALSE
  session$isClosed <- function() session$closed
  session$sendCustomMessage <- function(kind, value) session$sent <- c(session$sent, list(list(kind, value)))
  me <- new_reader(a_desk(), session)
  begin_with(me, "")
  act <- function(...) {
    session$sent <- list()
    desk_act(me, list(...))
    settled <- function() !draws && (identical(me$answered, me$version) || !is.null(me$failed))
    while (!later::loop_empty() && !settled()) later::run_now(0.1)
    session$closed <- TRUE
    while (!later::loop_empty()) later::run_now(0.1)
    session$closed <- FALSE
    puts <- lapply(Filter(function(one) one[[1]] == "desk-put", session$sent), function(one) one[[2]])
    unlist(lapply(puts, function(put) put$problem))
  }
  list(me = me, session = session, act = act)
}

# Messages as no page sends them, some of whose values are right: what the desk told in words of R's own, and what ended
# it, each with its message.
play_forged <- function(seed, count) {
  withr::local_seed(seed)
  reader <- a_reader(draws = TRUE)
  odd <- list(NULL, NA, -1, 1e300, "", "\u202e<b>", strrep("x", 1e4), list(), list(1, "a"), c("a", "b"), TRUE,
              list(rows = list(1)), 2L, "region", "month", list("region"), NaN, "2025-02-30", -2147483648, "year")
  fields <- c("part", "given", "row", "column", "rows", "text", "verb", "place", "from", "until", "values", "search",
              "page", "step", "name", "link", "push", "replace", "figure", "by", "every", "running", "share", "columns",
              "operator", "number", "value", "width", "answer", "versus", "now", "then", "n", "pareto", "within")
  own_words <- paste0("length zero|object '|subscript|operator|closure|non-numeric|argument \"|NAs|could not find|",
                      "This could not")
  bad <- character()
  for (i in seq_len(count)) {
    acts <- setdiff(names(desk_acts), "add-to-brief")
    ask <- c(list(act = sample(c(acts, "none", ""), 1), part = sample(names(desk_parts), 1)),
             stats::setNames(sample(odd, 5, TRUE), sample(fields, 5)))
    if (stats::runif(1) < 0.5) ask$given <- stats::setNames(sample(odd, 3, TRUE), sample(fields, 3))
    if (stats::runif(1) < 0.3) ask$given <- random_choice(reader$me$state, c("region", "category", "channel"))$given
    if (stats::runif(1) < 0.5) ask[c("row", "answer", "column")] <- list(sample(4, 1), reader$me$answered, "region")
    said <- tryCatch(suppressMessages(do.call(reader$act, ask)),
                     error = function(cnd) paste("ended:", conditionMessage(cnd)))
    if (any(grepl(paste0(own_words, "|^ended"), said))) bad <- c(bad, paste(deparse(ask), collapse = ""), said)
    # A reader who has lost the way begins again.
    if (i %% 40 == 0) reader <- a_reader(draws = TRUE)
  }
  bad
}

# A process of `hinterfeld desk`, and its address.
serve_desk <- function(..., env = parent.frame()) {
  port <- 30000 + sample(20000, 1)
  process <- processx::process$new(
    file.path(R.home("bin"), "Rscript"), c(system.file("cli", "hinterfeld", package = "hinterfeld"), "desk", ...,
                                           "--port", port, "--address-only"),
    env = c("current", R_LIBS = paste(.libPaths(), collapse = ":")), stderr = "|", cleanup_tree = TRUE
  )
  withr::defer(process$kill_tree(), envir = env)
  said <- character()
  for (try in 1:300) {
    process$poll_io(100)
    said <- c(said, process$read_error_lines())
    if (any(grepl("The desk is at", said)) || !process$is_alive()) break
  }
  address <- sub("^.*The desk is at ", "", grep("The desk is at", said, value = TRUE)[1])
  list(address = address, port = port, process = process, said = said)
}

# The page of a desk in a browser: what it shows, and what a reader does.
read_desk <- function(address, env = parent.frame(), width = 1280) {
  page <- open_page(address, env, width)
  seen <- ""
  # Until the page has asked for something new (for what changes nothing it does not), and then until all of it stands.
  settled <- function() {
    state <- "const d = document.body.dataset; return [d.asked || '', d.settled || '',
      document.getElementById('answer').getAttribute('aria-busy'), document.getElementById('problem').innerText];"
    for (try in 1:400) {
      now <- unlist(page$script(state))
      new <- now[1] != seen || try > 40
      if (new && nzchar(now[1]) && (now[1] == now[2] || now[3] == "false" && nzchar(now[4]))) break
      Sys.sleep(0.05)
    }
    seen <<- now[1]
  }
  settled()
  until <- function(code) {
    for (try in 1:400) {
      if (isTRUE(page$script(code))) return(TRUE)
      Sys.sleep(0.05)
    }
    FALSE
  }
  click <- function(selector) {
    page$script("const e = document.querySelector(arguments[0]); if (!e || e.disabled) return false; e.click();
                 return true;", selector)
  }
  open <- function(part) {
    click(sprintf("button[data-part='%s']", part))
    until(sprintf("return !!document.querySelector('#choices form[data-part=\"%s\"]')", part))
  }
  c(page, list(
    settled = settled, until = until, click = click, open = open,
    choose = function(part, selector) {
      open(part)
      if (click(paste("#choices", selector))) settled()
    },
    text = function(id) page$script("return document.getElementById(arguments[0]).innerText", id),
    link = function() page$script("return window.location.search"),
    table = function() {
      rows <- page$script("return Array.from(document.querySelectorAll('#table tbody tr')).map(r =>
                           Array.from(r.cells).map(c => c.dataset.value))")
      do.call(rbind, lapply(rows, function(row) unlist(row)))
    }
  ))
}

# What the cells of the page must hold: the exact values of the first page of a table.
cells_of <- function(t) {
  facts <- column_forms(t)
  x <- utils::head(tibble::as_tibble(t), rows_of_page)
  texts <- Map(function(values, fact) {
    text <- if (fact$kind %in% number_kinds) plain_columns_text(values, fact) else
      as.character(values)
    replace(text, is.na(values), "")
  }, as.list(x), facts)
  unname(do.call(cbind, texts))
}

# A random choice for a state: the part, and the values of its form.
random_choice <- function(state, columns) {
  pick <- function(x) x[[sample(length(x), 1)]]
  flag <- function() sample(c(TRUE, FALSE), 1)
  split <- c(unlist(state$table$every), unlist(state$table$by))
  part <- pick(c("measure", "by", "within", "every", "versus", "rank", "share", "running", "pareto", "grid", "rows",
                 "condition", "drop", if (!is.null(state$table$crosstab)) "swap", "figure", "mark"))
  verb <- pick(c("keep", "leave_out"))
  given <- switch(part,
    measure = list(column = pick(c("revenue", "units", "lines", "distinct order")),
                   how = pick(c("total", "mean", "largest_day", "smallest", "median", "ratio units")),
                   beside = as.list(sample(c("units", "lines", "orders"), sample(0:2, 1))),
                   ways = as.list(sample(c("median", "mean", "largest_day"), sample(0:2, 1)))),
    by = list(by = as.list(sample(columns, sample(0:2, 1)))),
    within = list(within = as.list(sample(columns, sample(0:1, 1)))),
    every = list(every = pick(c("", "year", "month", "quarter", "week", "weekday", "month_of_year",
                                "year month_of_year", "year quarter"))),
    versus = list(versus = pick(c("none", "year_before", "period_before", "periods")),
                  now = pick(c("2026", "2026-08", "Sep 2026")), then = pick(c("2025", "2025-Q2")),
                  period = pick(c("", "latest", "2025")),
                  causes = sample(2, 1) == 1, open = sample(4, 1) == 1),
    rank = list(rank = pick(c("none", "rank", "best_sellers", "slow_sellers")), n = pick(1:7), each = flag(),
                others = flag(), ties = pick(tie_rules)),
    share = list(share = pick(c("none", "all", "within", if (!is.null(state$table$crosstab)) c("row", "column"))),
                 each = flag()),
    running = list(running = pick(c("none", "running", "moving")), restart = pick(c("none", "year")), last = pick(2:5)),
    pareto = list(pareto = pick(c("yes", "no"))),
    grid = list(columns = as.list(if (length(split) > 1) sample(split, 1))),
    rows = list(subtotals = flag(), fill = flag()),
    condition = list(verb = verb, texts = value_condition("region", sample(c("Vale", "Highfen", NA), 2))),
    drop = list(verb = verb, place = 1), figure = list(figure = pick(names(figure_kinds))),
    mark = list(rows = pick(c("up", "down", "best", "text", "none")), text = "kiln"), list()
  )
  if (part == "drop" && length(state$table[[verb]]) == 0) random_choice(state, columns) else list(part = part,
                                                                                                   given = given)
}

# Texts that are seen with less contrast than 4.5 (WCAG 2.2, 1.4.3; 3 for large ones), as a script for the browser.
faint_texts <- "
  const light = c => { const v = c / 255; return v <= 0.03928 ? v / 12.92 : Math.pow((v + 0.055) / 1.055, 2.4); };
  const of = text => text.match(/[0-9.]+/g).map(Number);
  const shine = c => 0.2126 * light(c[0]) + 0.7152 * light(c[1]) + 0.0722 * light(c[2]);
  const behind = e => { for (; e; e = e.parentElement) { const c = of(getComputedStyle(e).backgroundColor);
    if (c.length === 3 || c[3] === 1) return c; } return [255, 255, 255]; };
  return Array.from(document.querySelectorAll('body *')).filter(e => e.offsetParent !== null && !e.disabled &&
    Array.from(e.childNodes).some(n => n.nodeType === 3 && n.textContent.trim())).filter(e => {
      const style = getComputedStyle(e), a = shine(of(style.color)), b = shine(behind(e));
      const large = parseFloat(style.fontSize) >= 24;
      return (Math.max(a, b) + 0.05) / (Math.min(a, b) + 0.05) < (large ? 3 : 4.5);
    }).map(e => e.outerHTML.slice(0, 120));"
