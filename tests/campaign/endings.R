# What is made of a finished table: crosstabs cell by cell, files read back, sums, words.

endings <- list(
  reconcile = function(move, value, shape, o, t) {
    if (!all(value$matches)) differ("reconcile(): %s", toString(format(value)))
  },
  words = function(move, value, shape, o, t) {
    n <- DBI::dbGetQuery(o$db, "SELECT count(*) AS n FROM kept")$n
    if (!grepl(format(n, big.mark = " "), value[1], fixed = TRUE)) differ("in_words() does not speak of %d lines: %s",
                                                                          n, value[1])
    # What sentences count is what the rows show.
    for (column in grep("_direction$", names(t), value = TRUE)) {
      counts <- c(`without a comparable earlier value` = "unknown", new = "new", gone = "gone")
      counts <- vapply(counts, function(one) sum(t[[column]] %in% one), 0L)
      told <- sprintf("%s row%s %s", format(counts, big.mark = " ", trim = TRUE), ifelse(counts == 1, "", "s"),
                      names(counts))
      said <- gsub("\u00a0", " ", value)
      lacking <- told[counts > 0 & !vapply(told, function(one) any(grepl(one, said, fixed = TRUE)), NA)]
      if (length(lacking)) differ("in_words() does not say \"%s\": %s", lacking[1], toString(value))
    }
  },
  crosstab = function(move, value, shape, o, t) {
    if (shape$cut) compare_picked(move$p, value, t) else compare_crosstab(move$p, value, shape, o)
  },
  deliver = function(move, value, shape, o, t) {
    read <- readers[[move$ending]](file.path(scratch(), value))
    if (!is.null(read)) compare_file(read, t, move$ending)
  }
)

# The cells of picked rows are these rows.
compare_picked <- function(p, x, t) {
  cells <- as.matrix(as.data.frame(x)[setdiff(names(x), p$rows)])
  values <- as.data.frame(t)[[p$of]]
  same <- isTRUE(all.equal(sort(cells[!is.na(cells) & cells != 0]), sort(values[!is.na(values) & values != 0])))
  if (!same) differ("cells of the picked rows: %s, rows: %s", toString(sort(cells)), toString(sort(values)))
}

compare_crosstab <- function(p, x, shape, o) {
  labels <- attr(x, "answer")$labels
  asked <- replace(shape$asked, "fill", list(FALSE))
  rename <- function(name) shape$names[match(name, c(shape$every, shape$by))]
  rows <- rename(p$rows)
  columns <- rename(p$columns)
  m <- shape$measures[p$of]
  cells <- oracle_totals(o, replace(asked, "measures", list(m)), list(c(rows, columns), rows, columns, character()))
  k <- function(name) cells[[paste0("k", match(name, shape$names))]]
  shown <- function(name, split) {
    text <- as.character(k(name))
    if (identical(name, shape$every) && !name %in% recurring_names) {
      known <- !is.na(text)
      text[known] <- hinterfeld::period_label(as.Date(text[known]), name,
                                              eval(o$made$calendar, asNamespace("hinterfeld")))
    }
    text[is.na(text)] <- labels$not_given
    replace(text, !split, labels$total)
  }
  row <- shown(rows, cells$lvl %in% 1:2)
  column <- shown(columns, cells$lvl %in% c(1, 3))
  if (!p$margins) {
    inner <- cells$lvl == 1
    cells <- cells[inner, ]
    row <- row[inner]
    column <- column[inner]
  }
  own <- as.character(x[[p$rows]])
  own[is.na(own)] <- labels$not_given
  if (anyDuplicated(own) || !setequal(own, row)) differ("rows of the crosstab: %s, of SQLite: %s", toString(own),
                                                        toString(unique(row)))
  names <- setdiff(names(x), p$rows)
  heads <- ifelse(column %in% names, column, paste0(p$columns, ": ", column))
  # A covered period without a line has a column too.
  all <- if (identical(columns, shape$every) && !columns %in% recurring_names) {
    starts <- unique(period_starts(o$covered, columns, o$made$calendar))
    hinterfeld::period_label(starts, columns, eval(o$made$calendar, asNamespace("hinterfeld")))
  }
  wanted <- union(heads, all)
  if (!setequal(names, wanted)) differ("columns of the crosstab: %s, of SQLite: %s", toString(names), toString(wanted))
  adds <- m[[1]]$kind %in% c("sum", "lines", "distinct")
  zero <- p$empty == "zero" && adds
  for (name in names) {
    mine <- heads == name
    expected <- (cells[[p$of]][mine] / 10^m[[1]]$scale)[match(own, row[mine])]
    if (!any(mine) && adds) expected[own %in% labels$total] <- 0
    compare_column(sprintf("crosstab, %s", name), x[[name]],
                   if (zero) replace(expected, is.na(expected), 0) else expected,
                   loose = m[[1]]$kind %in% c("mean", "ratio"))
  }
}

# Files read back by other readers -------------------------------------------------------------------------

read_texts <- function(path, mark) {
  utils::read.table(path, sep = mark, header = TRUE, colClasses = "character", quote = "\"", na.strings = character(),
                    comment.char = "", check.names = FALSE, encoding = "UTF-8")
}

readers <- list(
  csv = function(path) read_texts(path, ","),
  tsv = function(path) read_texts(path, "\t"),
  json = function(path) {
    rows <- jsonlite::fromJSON(path, simplifyVector = FALSE)$rows
    if (length(rows) == 0) return(NULL)
    tibble::new_tibble(lapply(stats::setNames(nm = names(rows[[1]])), function(name) {
      values <- lapply(rows, function(row) row[[name]])
      unlist(lapply(values, function(value) if (is.null(value)) NA else value))
    }), nrow = length(rows))
  },
  parquet = function(path) nanoparquet::read_parquet(path),
  xlsx = function(path) readxl::read_excel(path, sheet = 2, .name_repair = "minimal"),
  md = function(path) NULL
)

compare_file <- function(read, t, ending) {
  exact <- names(hinterfeld:::exact_decimals(t))
  # Parquet has the name of each period beside it.
  if (ending == "parquet") {
    names <- hinterfeld:::names_of_periods(t)
    for (name in names(names)) {
      beside <- paste0(name, "_name")
      if (beside %in% names(t)) next
      if (!identical(read[[beside]], names[[name]])) differ("parquet: `%s` is not the names of `%s`", beside, name)
      read[[beside]] <- NULL
    }
  }
  # Beside totals a worksheet has the names of periods.
  named <- if (ending == "xlsx") Filter(function(form) form$kind == "period" && is.character(t[[form$name]]),
                                        hinterfeld:::column_forms(t))
  calendar <- hinterfeld:::calendar_of(t)
  t <- tibble::as_tibble(t)
  for (form in named) t[[form$name]] <- hinterfeld:::shown_text(t[[form$name]], form, calendar)
  if (nrow(read) != nrow(t) || ncol(read) != ncol(t)) differ("%s: %d rows and %d columns of %d and %d", ending,
                                                             nrow(read), ncol(read), nrow(t), ncol(t))
  for (name in names(t)) {
    ours <- t[[name]]
    back <- read[[match(name, names(t))]]
    if (is.numeric(ours) && !inherits(ours, "Date")) {
      back <- if (is.character(back)) as.numeric(replace(back, !nzchar(back), NA)) else as.numeric(back)
      # A worksheet keeps 15 digits of what is not an exact amount.
      same <- is.na(ours) & is.na(back) | ours == back | ending == "xlsx" & !name %in% exact & abs(
        ours - back
      ) <= 1e-14 * abs(ours)
    } else {
      plain <- function(x) replace(if (inherits(x, "POSIXct")) format(x, "%Y-%m-%d") else as.character(x), is.na(x), "")
      same <- plain(ours) == plain(back) | startsWith(plain(back), "'") & substring(plain(back), 2) == plain(ours)
    }
    bad <- which(!(same %in% TRUE))
    if (length(bad)) differ("%s: `%s`, row %d holds %s, was %s", ending, name, bad[1],
                            format(back[bad[1]], digits = 17), format(ours[bad[1]], digits = 17))
  }
}
