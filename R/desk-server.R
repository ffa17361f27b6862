# One reader's desk: holds the state, asks for what was chosen last, and puts the answer into the page.

desk_server <- function(desk, token, host) {
  function(input, output, session) {
    if (!is.null(refused_request(session$request, token, host))) {
      session$close()
      return(invisible())
    }
    me <- new_reader(desk, session)
    count_reader(desk, 1)
    session$onSessionEnded(function() {
      count_reader(desk, -1)
      end_copy(me)
    })
    shiny::observeEvent(input$ask, desk_act(me, input$ask))
    # Offering files takes time, and numbers come first.
    me$offer_files <- function() {
      me$offer_files <- NULL
      for (kind in names(desk_files)) offer_file(output, kind, me)
    }
    if (!is.null(desk$brief)) watch_for_news(me, session)
    start <- shiny::isolate(session$clientData$url_search)
    begin_with(me, start)
  }
}

# What one reader has before them. `version` shows whether a choice has been overtaken by a later one, `answered` is the
# one that the answer is of.
new_reader <- function(desk, session) {
  own <- list2env(as.list(desk), parent = emptyenv())
  list2env(list(desk = own, session = session, state = NULL, answer = NULL, version = 0L, answered = 0L, page = 1L,
                lines = NULL, notice = NULL, failed = NULL, room = usual_room, drawn = NULL, figured = NULL,
                figure_page = 1L), parent = emptyenv())
}

count_reader <- function(desk, more) {
  desk$shared$readers <- (desk$shared$readers %||% 0) + more
}

begin_with <- function(me, link) {
  state <- desk_start(me$desk)
  if (isTRUE(grepl("[?&]inquiry=", link))) {
    tell_problem(me, state <- state_of_link(link, me$desk$facts))
  }
  show_state(me, state, push = FALSE)
}

offer_file <- function(output, kind, me) {
  output[[paste0("file-", kind)]] <- shiny::downloadHandler(
    filename = function() file_name_of(me, kind),
    content = function(file) {
      # The writer goes by the ending, which the page's own file does not have.
      made <- temporary_file(paste0(".", ending_of_kind(kind)))
      on.exit(remove_temporary(made))
      quietly(desk_files[[kind]](me, made))
      file.copy(made, file, overwrite = TRUE)
    }
  )
  shiny::outputOptions(output, paste0("file-", kind), suspendWhenHidden = FALSE)
}

# A state is shown in two steps: its sentence at once, its answer when no other choice has come meanwhile.
show_state <- function(me, state, push = TRUE) {
  end_copy(me)
  me$state <- state
  me$failed <- NULL
  me$version <- me$version + 1L
  version <- me$version
  me$page <- me$figure_page <- 1L
  sentence <- made_once(me$desk, list("sentence", state), function() page_html(sentence_tags(state, me$desk)))
  put(me, inquiry = sentence, findings = "")
  me$session$sendCustomMessage("desk-link", list(link = state_link(state), push = push, version = version))
  me$session$sendCustomMessage("desk-busy", TRUE)
  later_for(me, version, function() show_answer(me, version))
}

show_answer <- function(me, version) {
  if (tell_problem(me, long <- is_long(me$desk$facts, me$state$table)) && long) {
    put(me, notice = "This takes a while. Another choice ends it.")
    desk <- me$desk
    state <- me$state
    in_copy_of_desk(me, version, list("answer", state),
                    function() as.list(desk_answer(desk, state))[c("table", "notes")],
                    function(done) put_answer(me, version, answer_of_copy(me, done)))
  } else {
    put_answer(me, version, answer_for_all(me$desk, me$state))
  }
}

answer_for_all <- function(desk, state) {
  of <- list("answer", state)
  answer <- shared_by_readers(desk, of) %||% desk_answer(desk, state)
  # Large ones are not held for a reader who may never come.
  if (nrow(answer$table) < 5000) share_with_readers(desk, of, answer) else answer
}

# What all readers see who ask the same.
shown_answer <- function(desk, answer) {
  made_once(desk, list("shown", answer$state), function() {
    lapply(list(table = answer_table_tags(answer), aside = aside_tags(desk, answer), notes = notes_tags(answer)),
           page_html)
  })
}

put_answer <- function(me, version, answer) {
  done <- tell_problem(me, answer)
  if (!done) me$failed <- me$notice
  me$session$sendCustomMessage("desk-former", !done)
  me$session$sendCustomMessage("desk-busy", FALSE)
  if (!done) {
    put(me, notice = if (is.null(me$answer)) "" else "Figure, table and files are those of the answer before.")
    return(invisible())
  }
  me$answer <- answer
  me$answered <- version
  remember_state(me, me$state)
  shown <- shown_answer(me$desk, answer)
  put(me, table = shown$table, aside = shown$aside, notes = shown$notes,
      notice = "", answer = as.character(version), earlier = earlier_tags(me),
      headline = if (identical(me$state, desk_start(me$desk))) headline_of(me$desk) else "")
  me$session$sendCustomMessage("desk-mark", answer$state$mark$rows %||% "none")
  # The page lays the table out meanwhile, and says how much room is left for the figure.
  later_for(me, version, function() show_figure(me, version), 0.06)
}

# Drawing takes longer than most answers. If there are other readers, a copy draws, so that nobody waits.
show_figure <- function(me, version) {
  kept <- kept_picture(me)
  if (is.null(kept) && isTRUE(me$desk$shared$readers > 1) && can_fork()) {
    # The reader may be elsewhere when it is drawn for others.
    answer <- me$answer
    of <- drawn_of(me)
    in_copy_of_desk(me, version, list("picture", of), function() answer_picture(answer, of$room, of$page),
                    function(done) put_figure(me, version, value_of_copy(done)))
  } else {
    put_figure(me, version, kept %||% answer_picture(me$answer, me$room, me$figure_page))
  }
}

put_figure <- function(me, version, picture) {
  tags <- tryCatch(figure_tags(keep_picture(me, picture), me$answer), error = function(cnd) {
    htmltools::tags$p(class = "quiet no-figure", printable(paste("No figure:", reader_words(cnd))))
  })
  put(me, figure = tags, answer = as.character(version))
  me$figured <- version
  later_for(me, version, function() {
    put(me, `adds-up` = made_once(me$desk, list("adds up", me$answer$state),
                                  function() escape(adds_up_words(me$answer))))
    me$session$sendCustomMessage("desk-settled", version)
    if (!is.null(me$offer_files)) me$offer_files()
    offer_findings(me, version)
  })
}

notes_tags <- function(answer) {
  words <- setdiff(as.character(unclass(in_words(answer$table))), left_out_words(answer$facts))
  # Columns are called as their heads are.
  for (name in names(answer$table)) {
    own <- startsWith(words, paste0(name, ": "))
    words[own] <- paste0(capital(name_words(name)), substring(words[own], nchar(name) + 1))
  }
  lapply(c(words, answer$notes), function(note) htmltools::tags$p(printable(note)))
}

# Acts --------------------------------------------------------------------------------------------------------

# What the page asks for comes from outside: an act that is unknown does nothing, and one with invalid values only says
# so.
desk_act <- function(me, ask) {
  act <- if (is_within_bounds(ask) && is.list(ask) && rlang::is_string(ask$act)) desk_acts[[ask$act]]
  if (is.null(act)) {
    return(invisible())
  }
  # The page itself says how wide it is.
  if (ask$act != "room") me$notice <- NULL
  tell_problem(me, act(me, ask))
}

# A page sends a few fields, at most some hundred values and one long link. Whatever is more comes from elsewhere, and
# is not even looked at.
is_within_bounds <- function(ask) {
  utils::object.size(ask) < 2e5 &&
    all(nchar(as.character(unlist(ask, use.names = FALSE)), "bytes") <= max_link, na.rm = TRUE)
}

change_with <- function(me, clause, given, state = me$state) {
  show_state(me, changed_state(state, clause, given, me$desk$facts))
}

# A row of the answer that it was seen in: another answer may have come since the page showed it.
asked_row <- function(me, ask) {
  if (!is_number_asked(ask$answer) || ask$answer != me$answered) {
    stop_because("argument", "Another answer has come since.", i = "Choose the row again.", call = NULL)
  }
  check_row(ask$row, me$answer$table, call = NULL)
  column <- if (rlang::is_string(ask$column) && inherits(me$answer$table, "hinterfeld_crosstab")) ask$column
  list(answer = me$answer, row = as.integer(ask$row),
       column = if (isTRUE(column %in% names(answer_of(me$answer$table)$cells))) column)
}

# What the menu of a row asks for is of the row that it was opened on.
check_menu <- function(me) {
  if (is.null(me$at)) stop_because("argument", "No row is chosen.", i = "Choose a row of the table.", call = NULL)
}

conditions_of_menu <- function(me) {
  check_menu(me)
  row_conditions(me$at$answer, me$at$row, me$at$column)
}

asked_column <- function(me, ask) {
  check_text(ask$column, "column", call = NULL)
  if (!ask$column %in% me$desk$columns$name) stop_because("column", "There is no such column.", call = NULL)
  ask$column
}

asked_day <- function(text) {
  if (!rlang::is_string(text) || !nzchar(text)) {
    return(NULL)
  }
  day <- plain_days(read_iso_days_kernel(text))
  if (is.na(day)) {
    stop_because("argument", sprintf("%s is not a day.", quoted(text)), i = "Write it as 2025-01-31.", call = NULL)
  }
  day
}

# A number as people write it: 1 500, 1,500.00 or 1500,5.
asked_number <- function(text) {
  plain <- gsub("[ \u00a0\u2009\u202f']", "", if (rlang::is_string(text)) text else "")
  # Three digits behind a mark are thousands, but not behind a 0; the last mark before other digits is that of decimals.
  decimals <- grepl("[.,]([0-9]{1,2}|[0-9]{4,})$|^-?0?[.,][0-9]+$", plain)
  plain <- if (decimals) sub("[.,]([0-9]+)$", "#\\1", plain) else plain
  plain <- sub("#", ".", gsub("[.,]", "", plain), fixed = TRUE)
  number <- suppressWarnings(as.numeric(plain))
  if (is.na(number) || !is.finite(number) || !nzchar(plain)) {
    stop_because("argument", sprintf("%s is not a number.", quoted(if (rlang::is_string(text)) text else "")),
                 i = "Write it as 1500 or 1500.50.", call = NULL)
  }
  number
}

desk_acts <- list(
  open = function(me, ask) {
    if (isTRUE(ask$part %in% names(desk_parts))) put(me, choices = choice_form(ask$part, me$state, me$desk))
  },
  choose = function(me, ask) {
    if (!isTRUE(ask$part %in% setdiff(names(desk_parts), "counts"))) {
      return(invisible())
    }
    change_with(me, ask$part, as.list(ask$given))
    # What can be chosen further depends on what was chosen.
    put(me, choices = choice_form(ask$part, me$state, me$desk))
  },
  `figure-page` = function(me, ask) {
    if (is_number_asked(ask$page) && ask$page >= 1 && !is.null(me$answer)) {
      me$figure_page <- as.integer(ask$page)
      show_figure(me, me$version)
    }
  },
  # How wide the page of this reader is for a figure.
  room = function(me, ask) {
    if (is_number_asked(ask$width)) {
      me$room <- ask$width
      # A figure that is yet to be drawn will have this room anyway.
      if (identical(me$version, me$figured)) {
        later_for(me, me$version, function() show_figure(me, me$version))
      }
    }
  },
  swap = function(me, ask) change_with(me, "swap", list()),
  sort = function(me, ask) {
    check_text(ask$column, "column", call = NULL)
    if (ask$column %in% names(me$answer$table)) change_with(me, "sort", list(column = ask$column))
  },
  figure = function(me, ask) change_with(me, "figure", list(figure = ask$figure)),
  mark = function(me, ask) {
    if (isTRUE(ask$rows %in% c("up", "down")) && is.null(step_given(me$state, "change"))) {
      return(put(me, notice = "First choose what to compare with; until then nothing can rise or fall."))
    }
    change_with(me, "mark", list(rows = ask$rows, text = if (rlang::is_string(ask$text)) ask$text))
  },
  drop = function(me, ask) {
    if (isTRUE(ask$verb %in% c("keep", "leave_out")) && is_number_asked(ask$place)) {
      change_with(me, "drop", list(verb = ask$verb, place = ask$place))
      put(me, choices = choice_form("counts", me$state, me$desk))
    }
  },
  days = function(me, ask) {
    days <- lapply(c(">=" = "from", "<=" = "until"), function(name) asked_day(ask[[name]]))
    texts <- unlist(Map(function(operator, day) if (!is.null(day)) day_condition(operator, day), names(days), days))
    if (length(texts)) add_condition(me, "keep", unname(texts), "day")
  },
  values = function(me, ask) put(me, values = if (identical(ask$column, "")) "" else
    values_choices(me$desk, asked_column(me, ask), if (rlang::is_string(ask$search)) ask$search else "",
                   kept_values(me$state, ask$column))),
  numbers = function(me, ask) {
    if (isTRUE(ask$operator %in% names(number_operators)) && isTRUE(ask$number %in% facts_numbers(me$desk$facts))) {
      condition <- call(ask$operator, as.symbol(ask$number), asked_number(ask$value))
      add_condition(me, "keep", expression_source(condition))
    }
  },
  first = function(me, ask) {
    change_with(me, "first", list(column = asked_column(me, ask)))
    put(me, choices = choice_form("by", me$state, me$desk))
  },
  only = function(me, ask) choose_values(me, ask, "keep"),
  also = function(me, ask) choose_values(me, ask, "keep", also = TRUE),
  without = function(me, ask) choose_values(me, ask, "leave_out"),
  page = function(me, ask) {
    if (is_number_asked(ask$page)) {
      me$page <- as.integer(ask$page)
      put(me, table = answer_table_tags(me$answer, me$page))
    }
  },
  point = function(me, ask) {
    at <- asked_row(me, ask)
    if (!is.null(answer_of(me$answer$table))) put(me, notice = escape(row_words(me$answer, at$row, at$column)))
  },
  menu = function(me, ask) {
    at <- asked_row(me, ask)
    if (is.null(answer_of(me$answer$table))) {
      return(invisible())
    }
    me$at <- at
    put(me, choices = row_menu(me$answer, me$desk, at$row, at$column))
  },
  `row-only` = function(me, ask) add_condition(me, "keep", conditions_of_menu(me)),
  `row-without` = function(me, ask) {
    texts <- conditions_of_menu(me)
    add_condition(me, "leave_out", if (length(texts)) paste(texts, collapse = " & "))
  },
  `row-split` = function(me, ask) {
    column <- asked_column(me, ask)
    state <- me$state
    state$table$by <- c(state$table$by, column)
    change_with(me, "condition", list(verb = "keep", texts = conditions_of_menu(me)), state)
    put(me, choices = "")
  },
  `row-lines` = function(me, ask) {
    check_menu(me)
    show_lines(me, lines_behind(me$at$answer$table, me$at$row, me$at$column), paste(
      "The lines behind", row_words(me$at$answer, me$at$row, me$at$column)))
  },
  aside = function(me, ask) put(me, lines = left_out_tags(me$desk, me$answer)),
  `left-out` = function(me, ask) {
    if (is_number_asked(ask$step) && ask$step %in% seq_len(nrow(me$answer$facts$trail))) {
      show_lines(me, left_out_lines(me$desk, me$answer, as.integer(ask$step)),
                 paste("Left out:", me$answer$facts$trail$why[ask$step]))
    }
  },
  `lines-page` = function(me, ask) {
    if (!is.null(me$lines) && is_number_asked(ask$page)) {
      put(me, lines = lines_tags(me$lines$lines, me$lines$title, as.integer(ask$page), me$desk$facts$decimals))
    }
  },
  `ways-out` = function(me, ask) put(me, lines = ways_out_tags(me$answer, me$desk)),
  `add-to-brief` = function(me, ask) {
    check_text(ask$name, "name", call = NULL)
    if (!is_own_brief(me$desk$brief) || !grepl("^[[:alnum:]][[:alnum:]_. -]*$", ask$name)) {
      stop_because("argument", sprintf("%s cannot be the name of a table.", quoted(ask$name)),
                   i = "Use letters, figures, spaces, - and _.", call = NULL)
    }
    add_to_brief(me$desk$brief$path, me$state, ask$name, isTRUE(ask$replace))
    put(me, added = escape(sprintf("Added to %s as `%s`.", basename(me$desk$brief$path), ask$name)))
  },
  link = function(me, ask) {
    check_text(ask$link, "link", call = NULL)
    show_state(me, if (grepl("inquiry=", ask$link)) state_of_link(ask$link, me$desk$facts) else
      desk_start(me$desk), push = isTRUE(ask$push))
  },
  renew = function(me, ask) {
    if (is.null(me$desk$brief)) {
      return(invisible())
    }
    renewed <- quietly(with_open_sources(brief_desk(read_brief(me$desk$brief$path))))
    me$desk <- list2env(as.list(renewed), parent = emptyenv())
    me$drawn <- NULL
    me$stamps <- brief_stamps(me$desk$brief)
    put(me, news = "")
    show_state(me, check_state(me$state, me$desk$facts), push = FALSE)
  }
)

add_condition <- function(me, verb, texts, instead = NULL) {
  if (length(texts) == 0) {
    return(invisible())
  }
  change_with(me, "condition", list(verb = verb, texts = texts, instead = instead))
  put(me, choices = "")
}

choose_values <- function(me, ask, verb, also = FALSE) {
  column <- asked_column(me, ask)
  places <- suppressWarnings(as.integer(unlist(ask$values)))
  choices <- value_choices(me$desk$facts, column)
  chosen <- choices[places[places %in% seq_along(choices)]]
  if (length(chosen)) {
    values <- do.call(c, lapply(chosen, function(choice) choice$spellings))
    if (inherits(values, "Date")) values <- format(values)
    if (also) values <- unique(c(values, kept_values(me$state, column)))
    add_condition(me, verb, value_condition(column, values), if (verb == "keep") column)
  }
}

show_lines <- function(me, lines, title) {
  me$lines <- list(lines = lines, title = title)
  put(me, lines = lines_tags(lines, title, 1L, me$desk$facts$decimals))
}

# New sales: a word offers to take them in; nothing moves before the reader says so.
watch_for_news <- function(me, session) {
  me$stamps <- brief_stamps(me$desk$brief)
  look <- function() {
    if (session$isClosed()) {
      return(invisible())
    }
    later::later(look, 3)
    tell_problem(me, if (!identical(brief_stamps(me$desk$brief), me$stamps)) {
      put(me, news = list("The data have changed. ",
                          htmltools::tags$button(type = "button", `data-act` = "renew", "Load the new data")))
    })
  }
  later::later(look, 3)
}
