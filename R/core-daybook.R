#' Make a daybook: checked lines with roles and exact revenue
#'
#' Every total starts from a daybook. It records what each column is for, keeps revenue in whole minor units, such as
#' cents, and drops nothing silently: a line without a usable day, product or revenue stops it with an error, or is set
#' aside with its reason.
#'
#' @param lines A data frame with one row per sale line, usually from [load_table()] and
#'   [attach_table()].
#' @param day Column of the day of sale: dates, date-times (the day in their own time zone), ISO
#'   text (`2026-09-17`, a time may follow), or text that `day_format` reads.
#' @param revenue Revenue of the line in currency units: a column, or an expression over columns such as
#'   `quantity * unit_price * (1 - discount)`. Text columns in it are read as numbers with a decimal point. Negative
#'   revenue counts: it is a return.
#' @param product Column of the product's name.
#' @param units Column of the number of pieces, if there is one.
#' @param order Column of the order number, if there is one.
#' @param decimals Whole number from 0 to 6: the decimals that revenue is rounded to, once per line. Further columns of
#'   numbers, such as cost or profit, can be given decimals of their own by name: `c(revenue = 2, cost = 3)`. Columns
#'   not named here, including `units`, keep the decimals they have, up to six.
#' @param rounding Text: how a half is rounded. `"half_up"` rounds away from zero (1.005 to 1.01, -1.005 to -1.01),
#'   `"half_even"` to the even neighbour (1.005 to 1.00). Values are read as decimals of 15 significant digits, so 1.005
#'   counts as a half.
#' @param calendar A calendar made by [sales_calendar()], for the periods of [totals()].
#' @param currency Text: the currency code or symbol, such as `"EUR"`, for headings and figures.
#' @param day_format Text: how `day` is written, as in [strptime()], for example `"%d/%m/%Y"`.
#' @param covers Two days, dates or text such as `c("2024-01-01", "2025-12-31")`: the first and the last day that the
#'   data cover. By default they are the first and the last day with a line; see the section on coverage.
#' @param on_bad Text: `"stop"` refuses unusable lines with an error that counts each reason,
#'   `"set_aside"` keeps them apart; see [set_aside()].
#' @return A daybook. The columns of the roles are called `day`, `product`, `revenue`, `units` and
#'   `order`; all other columns keep their names.
#' @section Reasons: `blank row`, `no day`, `day not readable`, `no product`, `no revenue`, `revenue not a number`,
#'   `too large` (above 22 trillion with two decimals), `units not a number`. A line is given the first reason that
#'   applies. A line with blank units or a blank order number counts; what needs them leaves it
#'   out and says so.
#' @section Coverage: A period can be compared if the data cover all of its days. A few days without a line before the
#'   first one count as days without sales: as many as 19 of 20 gaps between two days with lines are long, at least 1
#'   and at most 6. So a year whose data begin on 2 January is whole, and one whose data begin on 15 January is not.
#'   If every line is of the first day of a month, or of the last, the data are monthly and cover whole months. "Now" is
#'   the last day that is covered. [keep_lines()] and [leave_out()] rule days out by conditions on the day.
#' @section Errors: `hinterfeld_error_unusable_lines`, `hinterfeld_error_column`,
#'   `hinterfeld_error_role`, `hinterfeld_error_day_format`, `hinterfeld_error_overflow`,
#'   `hinterfeld_error_no_lines`; `hinterfeld_error_argument` for `covers` that do not hold every line.
#' @export
#' @examples
#' sales <- data.frame(
#'   date = c("2026-03-02", "2026-03-02", "2026-03-03"),
#'   item = c("Needle tool", "Cutting wire", "Needle tool"),
#'   pieces = c(2, 1, 3), price = c(5.75, 3.4, 5.75)
#' )
#' daybook(sales, day = date, revenue = pieces * price, product = item, units = pieces)
daybook <- function(lines, day, revenue, product, units = NULL, order = NULL, decimals = 2,
                    rounding = c("half_up", "half_even"), calendar = sales_calendar(),
                    currency = NULL, day_format = NULL, covers = NULL, on_bad = c("stop", "set_aside")) {
  check_table(lines, "lines")
  decimals <- asked_decimals(decimals)
  check_calendar(calendar)
  rounding <- check_choice(rounding[1], "rounding", c("half_up", "half_even"))
  on_bad <- check_choice(on_bad[1], "on_bad", c("stop", "set_aside"))
  check_text(day_format, "day_format", none = TRUE)
  check_text(currency, "currency", none = TRUE)

  # POSIXlt is a list of parts; a column of lines has one value for each.
  in_parts <- vapply(lines, inherits, NA, "POSIXlt")
  for (name in names(lines)[vapply(lines, is.matrix, NA)]) {
    check_line_length(lines[[name]], nrow(lines), as.symbol(name), name)
  }
  if (any(in_parts)) lines[in_parts] <- lapply(as.list(lines)[in_parts], as.POSIXct)
  quos <- rlang::enquos(day = day, product = product, revenue = revenue, units = units, order = order)
  check_roles_given(quos)
  quos <- quos[!vapply(quos, rlang::quo_is_null, NA)]
  call <- rlang::current_env()
  roles <- lapply(stats::setNames(nm = names(quos)), function(role) {
    read_role(role, quos[[role]], lines, day_format, decimals[["revenue"]], rounding, call)
  })
  check_role_names(roles, lines)

  origin <- origin_of(lines)
  reason <- first_reason(roles, lines)
  if (!is.null(reason) && on_bad == "stop") {
    stop_unusable(reason, origin)
  }
  trail <- add_steps(origin$trail, daybook_steps(roles$revenue, reason, origin$grouped, decimals[["revenue"]]))
  orders <- orders_read(roles$order$values, reason, trail, nrow(origin$trail) + 1L)
  if (nrow(lines) == 0 || !is.null(reason) && all(!is.na(reason))) {
    stop_because("no_lines", "No line is usable, so there is nothing to total.", if (nrow(lines)) reason_counts(reason),
                 left = list(trail = trail, orders = orders, aside = aside_table(lines, reason, origin),
                             used = origin$used))
  }
  columns <- book_columns(roles, lines)
  usable <- if (!is.null(reason)) which(is.na(reason))
  if (!is.null(reason)) columns <- take_rows(columns, usable)

  book <- structure(list(
    columns = columns,
    known = new.env(parent = emptyenv()),
    lines = length(columns$day),
    roles = vapply(roles, function(role) role$text, ""),
    decimals = decimals["revenue"],
    rounding = rounding,
    calendar = calendar,
    currency = currency,
    # Conditions on days, for who goes on with other lines.
    day_rules = list(),
    trail = trail,
    orders = orders,
    alike = alike_in_roles(origin$alike, roles),
    aside = aside_table(lines, reason, origin),
    used = origin$used,
    grouped = grouped_rows(grouped_in_roles(origin$grouped, roles), usable),
    origin = origin[c("places", "marks")],
    made_of = lines_id(columns, origin$places, trail$revenue_after[nrow(trail)]),
    # Of the lines that were read, those that are here; NULL for all of them.
    at = if (is.null(origin$at)) usable else if (is.null(usable)) origin$at else origin$at[usable]
  ), class = "hinterfeld_daybook")
  # Leaving out cancelled orders does not make a month shorter: what is covered is told by all usable lines.
  seen <- different_days_kernel(columns$day, threads_wanted())
  book <- with_coverage(book, new_coverage(seen, check_covers(covers, seen)))
  if (is.null(covers) && !identical(as.integer(book$span), range(seen)) && !is_chunk()) {
    which <- if (book$span[1] == seen[1]) "first" else "last"
    say("monthly", sprintf("All days are the %s of a month, so the lines count as those of whole months: %s to %s.",
                           which, format(book$span[1]), format(book$span[2])),
        i = sprintf("Otherwise say which days the data cover with %s.", as_typed("covers")))
  }
  mention_currencies(columns, all.vars(rlang::quo_get_expr(quos$revenue)))
  exact_columns(book, decimals)
}

# Amounts of two currencies are not to be added up unasked.
mention_currencies <- function(columns, used) {
  named <- grep("curr|w(\u00e4|ae)hrung|devise|moneda|valut", names(columns), ignore.case = TRUE)
  for (name in setdiff(names(columns)[named], used)) {
    x <- columns[[name]]
    held <- if (is_coded(x)) levels(x)[tabulate(x, nlevels(x)) > 0]
    codes <- grepl("^[[:alpha:]]{3}$|^[$\u20ac\u00a3\u00a5]$", held)
    if (length(held) > 1 && all(codes) && !is_chunk()) {
      say("currencies", sprintf("`%s` holds %s, and revenue adds up amounts of all of them.", name, examples_of(held)),
          i = sprintf("Convert them, for example %s, or keep one of them.",
                      as_typed(sprintf("revenue = amount * ifelse(%s == \"%s\", 1.17, 1)", name, held[2]))))
    }
  }
}

#' Lines of a daybook, kept or set aside
#'
#' @param book,x,object A daybook made by [daybook()].
#' @param n Number: how many of the first lines.
#' @param ... Not used.
#' @return `lines_of()`, and `as_tibble()` and `as.data.frame()` of a daybook: the kept lines with the daybook's
#'   columns, text as text and revenue in currency units. `head()`: the first of them. `str()` prints what the daybook
#'   is. `set_aside()`: a tibble of the lines that could not be used, with `reason` (text), `row` (the line's row in
#'   its file, the first below the heading is 1), `file` (text, missing for tables made in memory) and their original
#'   columns.
#' @section Errors: `hinterfeld_error_argument` when `book` is not a daybook.
#' @export
#' @examples
#' book <- demo_daybook()
#' lines_of(book)
#' head(book, 3)
#' set_aside(book)
lines_of <- function(book) {
  check_daybook(book)
  columns <- lapply(stats::setNames(nm = names(book$columns)), column_values, book = book)
  aside <- if (nrow(book$aside)) book$aside
  trail <- count_orders(book$trail, book$orders)
  set_origin(tibble::as_tibble(columns), book$origin$places, trail, book$origin$marks, aside, book$at, book$alike)
}

#' @rdname lines_of
#' @export
set_aside <- function(book) {
  check_daybook(book)
  outer_table(book$aside)
}

# What the lines hold: roles first, then every other column ------------------------------------------

check_role_names <- function(roles, lines, call = caller_env()) {
  for (role in names(roles)) {
    column <- roles[[role]]$column
    if (role %in% names(lines) && !identical(column, role)) {
      stop_because("role",
                   sprintf("The lines already have a column `%s`, but another column was given as `%s`.", role, role),
                   i = sprintf("Rename that column, or use it: `%s = %s`.", role, role), call = call)
    }
  }
}

book_columns <- function(roles, lines) {
  used <- unlist(lapply(roles, function(role) role$column))
  others <- lines[setdiff(names(lines), used)]
  others <- lapply(others, function(x) if (type_of(x) == "text") encode_text(x) else x)
  c(lapply(roles, function(role) role$values), others)
}

# Further columns that were given decimals, and the units, are kept as exact as revenue is.
exact_columns <- function(book, decimals, call = caller_env()) {
  further <- setdiff(names(decimals), "revenue")
  for (name in further) {
    x <- book$columns[[name]]
    if (!is.numeric(x)) {
      stop_because("column",
                   sprintf("`decimals` names `%s`, which %s.", name,
                           if (is.null(x)) "is not a column" else paste("is", type_of(x))),
                   i = sprintf("Columns of numbers are %s.", columns_named(number_columns(book))), call = call)
    }
  }
  if ("units" %in% names(book$roles)) {
    decimals <- c(decimals, units = capped_decimals(decimals_of(book$columns$units), "units"))
  }
  for (name in setdiff(names(decimals), "revenue")) {
    book$columns[[name]] <- exact_minor(book$columns[[name]], name, decimals[[name]], book$rounding, call)
  }
  book$decimals <- decimals[unique(names(decimals))]
  # Found once, from all lines: fewer lines may have fewer decimals, and must not change the scale of a measure.
  plain <- setdiff(number_columns(book), names(book$decimals))
  book$scales <- vapply(book$columns[plain], decimals_of, 0L)
  book
}

number_columns <- function(book) {
  names(book$columns)[vapply(book$columns, function(x) is.numeric(x) && !inherits(x, "Date"), NA)]
}

# The first reason why each line cannot be used, NA for usable lines; NULL when all are.
first_reason <- function(roles, lines) {
  wrong <- lapply(roles[c("day", "product", "revenue", "units")], function(role) role$wrong)
  wrong <- Filter(Negate(is.null), wrong)
  # A blank row lacks its day, too.
  if (length(wrong) == 0) {
    return(NULL)
  }
  reason <- rep(NA_character_, nrow(lines))
  reason[blank_rows(lines)] <- "blank row"
  for (problem in wrong) {
    first <- is.na(reason) & !is.na(problem)
    reason[first] <- problem[first]
  }
  if (all(is.na(reason))) NULL else reason
}

blank_rows <- function(lines) {
  # Numeric columns first: if one has no blank, no row is blank. Later columns are only checked in rows that were blank
  # so far.
  text <- vapply(lines, is.character, NA)
  rows <- NULL
  for (x in as.list(lines)[order(text)]) {
    if (is.null(rows) && typeof(x) %in% c("integer", "double", "logical") && !any_not_finite(x)) {
      return(integer())
    }
    if (!is.null(rows)) x <- x[rows]
    blank <- is.na(x)
    if (is.character(x)) blank <- blank | !grepl("[^[:space:]]", x)
    rows <- if (is.null(rows)) which(blank) else rows[blank]
  }
  rows
}

reason_counts <- function(reason) {
  counts <- table(factor(reason, reasons))
  counts <- counts[counts > 0]
  stats::setNames(
    sprintf("%s: %s", names(counts), vapply(counts, count_of, "", noun = "line")), rep("x", length(counts))
  )
}

stop_unusable <- function(reason, origin, call = caller_env()) {
  bad <- which(!is.na(reason))
  first <- utils::head(bad, 5)
  places <- line_places(first, origin)
  of_file <- ifelse(is.na(places$file), "", paste(" of", places$file))
  several <- nrow(origin$places) > 1
  stop_because("unusable_lines",
               sprintf("%s of %s cannot be used.", count_of(length(bad), "line"), group_digits(length(reason))),
               reason_counts(reason),
               i = sprintf("The first: %s%s.",
                           paste(sprintf("row %d%s (%s)", places$row, if (several) of_file else "", reason[first]),
                                 collapse = ", "), if (several) "" else of_file[1]),
               i = sprintf("Correct them, or set them aside with %s and look at %s.",
                           as_typed("on_bad = \"set_aside\""), as_typed("set_aside()")), rows = bad,
               reasons = reason[bad], call = call)
}

daybook_steps <- function(revenue, reason, grouped, decimals) {
  left <- lines_among(grouped, seq_along(revenue$values))
  left_minor <- sum_minor(revenue$values)
  steps <- new_trail("daybook", paste("revenue is", revenue$text), left, left, left_minor, left_minor, decimals)
  for (name in intersect(reasons, reason)) {
    gone <- reason %in% name
    gone_minor <- sum_minor(revenue$values[gone])
    after <- left - lines_among(grouped, which(gone))
    steps <- add_steps(steps, new_trail("set aside", name, left, after, left_minor, left_minor - gone_minor, decimals))
    left <- after
    left_minor <- left_minor - gone_minor
  }
  steps
}

# A line that is set aside reached the step before its reason; `made` is the daybook's own.
orders_read <- function(values, reason, trail, made) {
  if (is.null(values)) {
    return(NULL)
  }
  aside <- match(reason, trail$why[trail$what == "set aside" & seq_along(trail$what) > made])
  step <- if (is.null(reason)) made else ifelse(is.na(aside), nrow(trail), made + aside - 1L)
  replace(record_survivors(new_orders(values), values, step), "steps", nrow(trail))
}

# Lines that were set aside when these lines were made a daybook before stand first.
aside_table <- function(lines, reason, origin) {
  bad <- which(!is.na(reason))
  places <- line_places(bad, origin)
  about <- list(reason = reason[bad], row = places$row, file = places$file)
  # Column by column: a table takes rows of coded text by making all of it text.
  others <- as.list(lines)[!names(lines) %in% names(about)]
  kept <- lapply(others, function(x) if (is.data.frame(x)) x[bad, ] else x[bad])
  rows <- inner_table(Filter(Negate(is.null), c(about, kept)), length(bad))
  if (is.null(origin$aside)) rows else stack_tables(origin$aside, rows)
}

# Rows of two tables with the columns of both; columns of one name and two types stand together as text.
stack_tables <- function(a, b) {
  columns <- lapply(stats::setNames(nm = union(names(a), names(b))), function(name) {
    x <- a[[name]] %||% rep(NA, nrow(a))
    y <- b[[name]] %||% rep(NA, nrow(b))
    plain <- is.factor(x) || is.factor(y) || type_of(x) != type_of(y) && name %in% intersect(names(a), names(b))
    if (plain) c(as.character(x),
                 as.character(y)) else if (is.null(a[[name]])) y[c(rep(NA, nrow(a)), seq_along(y))] else c(x, y)
  })
  inner_table(columns, nrow(a) + nrow(b))
}
