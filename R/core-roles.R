# Roles: from the columns or expressions a user names to values that can be trusted.


check_roles_given <- function(quos, call = caller_env()) {
  for (role in c("day", "revenue", "product")) {
    if (rlang::quo_is_missing(quos[[role]]) || rlang::quo_is_null(quos[[role]])) {
      stop_because("role", sprintf("The daybook needs `%s`: a column of the lines.", role),
                   i = sprintf("For example %s.",
                               as_typed("daybook(lines, day = order_day, revenue = amount, product = item)")),
                   call = call)
    }
  }
}

# A role's values as the daybook keeps them, what is wrong with each line's (NA where nothing is, NULL
# where nothing is anywhere), the text the user gave, and the column it came from when it was one.
read_role <- function(role, quo, lines, day_format, decimals, rounding, call) {
  expr <- rlang::quo_get_expr(quo)
  column <- if (is.symbol(expr) || rlang::is_string(expr)) pick_columns(quo, names(lines), role, call)
  if (length(column) == 0) column <- NULL
  read <- switch(role,
    day = read_day(role_values(role, quo, column, lines, call), column %||% "day", day_format, call),
    revenue = read_revenue(quo, column, lines, decimals, rounding, call),
    units = read_units(quo, column, lines, call),
    read_text(role_values(role, quo, column, lines, call), role)
  )
  c(read, list(text = column %||% expression_text(quo), column = column))
}

role_values <- function(role, quo, column, lines, call) {
  values <- if (is.null(column)) evaluate_over(quo, lines, role, call) else lines[[column]]
  check_line_length(values, nrow(lines), rlang::quo_get_expr(quo), role, call = call)
  values
}

read_text <- function(x, role) {
  values <- if (is.character(x) || is.factor(x)) encode_text(x) else x
  list(values = values, wrong = if (any_not_finite(values)) ifelse(is.na(values), paste("no", role), NA_character_))
}

# Texts are read as numbers, as those of revenue are.
read_units <- function(quo, column, lines, call) {
  values <- role_values("units", quo, column, lines, call)
  mark <- if (length(column)) as.list(origin_of(lines)$marks)[[column]]
  if (type_of(values) == "text") {
    numbers <- number_column(values, mark)
    check_number_text(values, numbers, "units", column %||% expression_text(quo), mark, call)
    values <- numbers
  }
  if (!is.numeric(values)) {
    stop_because("role", sprintf("`units` must be numbers, the pieces sold; it is %s.", type_of(values)),
                 i = "Give the column that holds the quantity, or leave `units` out.", call = call)
  }
  bad <- if (any_not_finite(values)) is.nan(values) | is.infinite(values)
  list(values = values, wrong = if (any(bad)) ifelse(bad, "units not a number", NA_character_))
}

# Numbers written as text, with the decimal mark of their file; a mark between thousands counts only where the file's
# decimal mark is known. NaN for what is not a number.
read_numbers <- function(text, mark = NULL) {
  read_numbers_kernel(text, mark %||% ".", if (is.null(mark)) "" else if (mark == ".") "," else ".")
}

# Texts such as 1,234 are two numbers, as long as nobody says which mark is which.
ambiguous_numbers <- function(text) {
  text <- unique(trimws(text[!is.na(text)]))
  text[grepl("^[-+]?[1-9][0-9]{0,2},[0-9]{3}$", text)]
}

two_readings <- function(text) {
  sprintf("\"%s\" is %s with a decimal comma and %s without", text, number_text(read_numbers(text, ",")),
          number_text(read_numbers(text, ".")))
}

# Texts are read as numbers, but for those that the expression compares with texts.
read_revenue <- function(quo, column, lines, decimals, rounding, call) {
  expr <- if (is.null(column)) rlang::quo_get_expr(quo) else as.symbol(column)
  used <- intersect(all.vars(expr), names(lines))
  if (".data" %in% all.vars(expr)) used <- names(lines)
  texts <- used[vapply(lines[used], type_of, "") == "text"]
  columns <- as.list(lines)
  columns[texts] <- lapply(columns[texts], encode_text)
  marks <- origin_of(lines)$marks
  numbers <- Map(number_column, columns[used], as.list(marks)[used])
  compared <- intersect(text_operands(expr, rlang::quo_get_env(quo), texts), texts)
  columns[setdiff(texts, compared)] <- numbers[setdiff(texts, compared)]
  check <- function(names) {
    for (name in names) check_number_text(lines[[name]], numbers[[name]], "revenue", name, as.list(marks)[[name]], call)
  }
  check(setdiff(texts, compared))
  book <- list(columns = columns, numbers = numbers[texts], lines = nrow(lines), rounding = rounding)
  if (is.null(column)) {
    formula <- line_formula(expr, rlang::quo_get_env(quo), book, "revenue", call)
    if (is.null(formula$ops)) stop_revenue_type(formula$values, expr, call)
    if (all(lengths(formula$columns) == 1)) check_line_length(0, book$lines, expr, "revenue", call = call)
    check(intersect(formula$names, compared))
    minor <- formula_minor(formula, book, decimals)
    needed <- unique(formula$names)
  } else {
    if (!is.numeric(numbers[[1]])) stop_revenue_type(numbers[[1]], expr, call)
    minor <- to_minor(numbers[[1]], decimals, rounding, whole = TRUE)
    needed <- character()
  }
  # The result of an expression can hide that a column of it is missing somewhere, so these columns are checked too.
  # The kernels return integers only if no value is missing.
  given <- is.integer(minor) || !any_not_finite(minor)
  if (given && !any(vapply(numbers[needed], any_not_finite, NA))) {
    return(list(values = minor, wrong = NULL))
  }
  unreadable <- Reduce(`|`, lapply(numbers[needed], is.nan), is.nan(minor))
  wrong <- rep(NA_character_, length(minor))
  wrong[is.infinite(minor)] <- "too large"
  wrong[is.na(minor)] <- "no revenue"
  wrong[is.nan(minor) | unreadable] <- "revenue not a number"
  list(values = minor, wrong = wrong)
}

# The columns that an expression takes as texts: it compares them with texts, or calls what takes texts.
text_operands <- function(expr, env, columns) {
  if (!is.call(expr)) {
    return(character())
  }
  operands <- Filter(Negate(rlang::is_missing), as.list(expr)[-1])
  given <- function(operand) !is.symbol(operand) || !as.character(operand) %in% columns
  takes <- rlang::is_call(expr, takes_texts) ||
    rlang::is_call(expr, c("==", "!=", "%in%")) && any(lengths(lapply(Filter(given, operands), constant_text, env)) > 0)
  unique(c(if (takes) all.vars(expr), unlist(lapply(operands, text_operands, env, columns))))
}

takes_texts <- c("reads_as", "tolower", "toupper", "trimws", "nchar", "startsWith", "endsWith", "substr", "grepl",
                 "sub", "gsub")

stop_revenue_type <- function(values, expr, call) {
  stop_because("role", sprintf("`revenue` must be numbers; `%s` is %s.", expression_text(expr), type_of(values)),
               i = "Give a column of amounts or an expression such as `quantity * unit_price`.", call = call)
}

# Text columns of a revenue expression are read as numbers; others stay what they are.
number_column <- function(x, mark = NULL) {
  if (type_of(x) != "text") {
    return(x)
  }
  coded <- encode_text(x)
  read_numbers(levels(coded), mark)[as.integer(coded)]
}

# If most texts of a column cannot be read as numbers, it is the wrong column for a role.
check_number_text <- function(text, numbers, role, name, mark, call) {
  unread <- is.nan(numbers)
  if (any(unread) && sum(unread) > sum(!is.na(numbers) | unread) / 2 && !is_chunk()) {
    text <- as.character(text[unread])
    stop_because("role", sprintf("%s needs numbers, but `%s` holds text.", as_typed(role), name),
                 x = sprintf("It holds %s.", examples_of(text, 3)), i = mark_hint(text, mark), call = call)
  }
}

mark_hint <- function(text, mark) {
  either <- ambiguous_numbers(text)
  if (!is.null(mark)) {
    sprintf("They were read with the decimal mark \"%s\"; correct them, or use columns of numbers.", mark)
  } else if (length(either)) {
    sprintf("%s: say which with %s.", two_readings(either[1]), as_typed("load_table(path, decimal_mark = \",\")"))
  } else if (any(grepl("^[-+]?[0-9. ]*[0-9],[0-9]+$", text))) {
    sprintf("For a decimal comma: %s.", as_typed("load_table(path, decimal_mark = \",\")"))
  } else {
    "Give columns of numbers."
  }
}

# Are these lines one chunk of many? Then most of its values say nothing about the whole column.
is_chunk <- function() {
  isTRUE(getOption("hinterfeld.chunk"))
}

# Days -----------------------------------------------------------------------------------------------

# Days as whole numbers of class Date, and what is wrong with each line's.
read_day <- function(x, name, day_format, call) {
  if (!is.null(day_format) && type_of(x) != "text") stop_day_format_unused(x, name, day_format, call)
  given <- x
  if (inherits(x, "POSIXct")) {
    zone <- attr(x, "tzone") %||% ""
    days <- as.integer(as.Date(x, tz = zone[1]))
  } else if (inherits(x, "Date")) {
    days <- if (is.integer(x)) as.integer(x) else
      whole_days_kernel(if (is.double(x)) x else as.double(x), threads_wanted())
  } else if (type_of(x) == "text") {
    given <- encode_text(x)
    days <- text_days(levels(given), name, day_format, call)[as.integer(given)]
  } else {
    stop_day_type(x, name, call)
  }
  wrong <- if (any_not_finite(days)) {
    ifelse(!is.na(days), NA_character_, ifelse(is.na(given), "no day", "day not readable"))
  }
  if (!inherits(days, "Date")) class(days) <- "Date"
  list(values = days, wrong = wrong)
}

# A format cannot read again what was read as days already, perhaps with month and day in each other's place.
stop_day_format_unused <- function(x, name, day_format, call) {
  stop_because("day_format",
               sprintf("%s reads text, but `%s` is %s already.", typed_format(day_format), name, type_of(x)),
               i = sprintf("Read the column as text: %s, or leave %s out.",
                           typed_type(name, "text"), as_typed("day_format")),
               call = call)
}

text_days <- function(text, name, day_format, call) {
  days <- if (is.null(day_format)) read_iso_days_kernel(text) else formatted_days(text, day_format)
  if (length(text) > 0 && mean(is.na(days)) > 0.5 && !is_chunk()) {
    stop_day_format(text, name, day_format, call)
  }
  days
}

# strptime() stops at the end of the format; what is read must be all that is written.
formatted_days <- function(text, format) {
  days <- as.Date(text, format = format)
  bare <- function(x) gsub("(?<![0-9])0+(?=[0-9])", "", tolower(trimws(x)), perl = TRUE)
  days[!is.na(days) & bare(format(days, format)) != bare(text)] <- NA
  # 26 is not a year of four digits.
  if (grepl("%Y", format, fixed = TRUE)) days[!is.na(days) & as.POSIXlt(days)$year < -900] <- NA
  as.integer(days)
}

day_formats <- c(
  "%d/%m/%Y", "%m/%d/%Y", "%d.%m.%Y", "%m.%d.%Y", "%d-%m-%Y", "%m-%d-%Y", "%Y/%m/%d", "%Y.%m.%d", "%Y%m%d",
  "%d/%m/%y", "%m/%d/%y", "%d.%m.%y", "%d %b %Y", "%d %B %Y"
)

# Those that read the most of some texts, and more than half; none of no text.
fitting_formats <- function(text) {
  reads <- vapply(day_formats, function(format) mean(!is.na(formatted_days(text, format))), 0)
  day_formats[which(reads == max(reads) & reads > 0.5)]
}

stop_day_format <- function(text, name, day_format, call) {
  text <- trimws(text)
  if (!any(is.na(suppressWarnings(as.numeric(text)))) && all(nchar(text) == 5)) {
    stop_day_type(as.numeric(text), name, call, as = sprintf("as.numeric(%s)", name))
  }
  fits <- fitting_formats(text)
  readings <- vapply(fits, function(format) {
    sample <- text[!is.na(formatted_days(text, format))][1]
    sprintf("%s reads \"%s\" as %s", typed_format(format), sample, format(as.Date(sample, format), "%Y-%m-%d"))
  }, "")
  problem <- if (is.null(day_format)) {
    sprintf("The days in `%s` are not written as YYYY-MM-DD.", name)
  } else {
    sprintf("%s does not read the days in `%s`.", typed_format(day_format), name)
  }
  option <- as_typed("day_format")
  stop_because("day_format", problem, x = sprintf("It holds %s.", examples_of(text, 3)),
               stats::setNames(sprintf("%s.", readings), rep("i", length(readings))),
               i = if (length(fits) > 1) sprintf("The data do not show which one is right: set %s.", option),
               i = if (length(fits) == 0) sprintf("Say how they are written with %s, as in strptime.", option),
               call = call)
}

typed_format <- function(format) as_typed(sprintf("day_format = \"%s\"", format))

stop_day_type <- function(x, name, call, as = name) {
  sample <- if (is.numeric(x)) x[is.finite(x)][1]
  spreadsheet <- !is.null(sample) && !is.na(sample) && sample > 20000 && sample < 80000
  stop_because("day_format", sprintf("The days in `%s` are %ss, not dates.", name, type_of(x)),
               i = if (spreadsheet) sprintf("As a spreadsheet's day number %s would be %s.", format(sample),
                                            as.Date(sample, origin = "1899-12-30")),
               i = if (is.numeric(x)) sprintf("Convert them first: `as.Date(%s, origin = \"1899-12-30\")`.", as),
               call = call)
}

# The names that columns have once they have a role.
names_in_roles <- function(columns, roles) {
  named <- unlist(lapply(roles, function(role) role$column))
  at <- match(columns, named)
  replace(columns, !is.na(at), names(named)[at[!is.na(at)]])
}
