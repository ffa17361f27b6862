# What the facts offer: columns to split by, numbers to total, values to choose, each with how many there are.

max_members <- 20000L
max_values <- 60L

# name, how many distinct values, and why a column is not offered (NA where it is).
column_choices <- function(facts) {
  rowset <- rowsets_of(facts)[[1]]
  columns <- lapply(grouping_columns(facts), function(name) {
    x <- rowset$columns[[name]]
    kind <- if (is.numeric(x) && !is_coded(x) && !inherits(x, "Date")) "number" else type_of(x)
    if (kind == "number" && is.double(x)) {
      return(list(name = name, values = NA_integer_, why = "numbers, not groups"))
    }
    count <- values_in(x)
    why <- if (count > max_members) {
      sprintf("%s values, too many to split by", group_digits(count))
    } else if (count < 2) {
      "only one value, nothing to split by"
    }
    list(name = name, values = count, why = why %||% NA_character_)
  })
  field <- function(name, of) vapply(columns, function(column) column[[name]], of)
  order <- order(!is.na(field("why", "")), !field("name", "") %in% "product", field("values", 0L))
  data.frame(name = field("name", ""), values = field("values", 0L), why = field("why", ""))[order, ]
}

# The distinct values of a column, spellings of one value together, commonest first: label, spellings, lines. Those that
# hold a text that is searched for.
value_choices <- function(facts, column, search = "") {
  t <- quietly(totals(facts, by = tidyselect::all_of(column), measures = "lines"))
  values <- t[[column]]
  missing <- is.na(values) | values == answer_of(t)$labels$not_given
  heading <- ifelse(missing, NA, if (is.character(values)) plain_text(values) else as.character(values))
  groups <- split(seq_along(heading), match(heading, unique(heading)))
  choices <- lapply(groups, function(rows) {
    spelt <- values[rows[order(-t$lines[rows])]]
    list(label = if (missing[rows[1]]) "blank" else as.character(spelt[1]),
         spellings = if (missing[rows[1]]) NA else spelt, lines = sum(t$lines[rows]))
  })
  choices <- choices[order(-vapply(choices, function(choice) choice$lines, 0))]
  choices <- Map(function(choice, place) c(choice, place = place), unname(choices), seq_along(choices))
  if (nzchar(search)) {
    choices <- Filter(function(choice) grepl(tolower(search), tolower(choice$label), fixed = TRUE), choices)
  }
  choices
}

# Measures ------------------------------------------------------------------------------------------------

# How a column can be totalled: what a reader calls it, the maker, and per what.
measure_hows <- list(
  total = list(words = "total", maker = "sum_of"),
  mean = list(words = "mean per line", maker = "mean_of"),
  median = list(words = "median of its lines", maker = "median_of"),
  largest = list(words = "largest line", maker = "largest_of"),
  smallest = list(words = "smallest line", maker = "smallest_of"),
  largest_day = list(words = "largest day", maker = "largest_of", per = "day"),
  mean_day = list(words = "mean of the days with sales", maker = "mean_of", per = "day"),
  ratio = list(words = "for each of", maker = "ratio_of")
)

# A measure as a brief writes it.
measure_entry <- function(column, how, to = NULL) {
  if (how == "distinct") {
    return(stats::setNames(list(list(count_distinct = column)), paste0(column, "s")))
  }
  if (how == "total") {
    return(column)
  }
  kind <- measure_hows[[how]]
  spec <- Filter(Negate(is.null), c(stats::setNames(list(column), kind$maker),
                                    list(per = kind$per, to = if (how == "ratio") to)))
  stats::setNames(list(spec), if (how == "ratio") paste0(column, "_per_", to) else paste0(column, "_", how))
}

entry_name <- function(entry) {
  if (is.list(entry)) names(entry) else entry
}

# How an entry was made: column, how, to.
entry_parts <- function(entry) {
  if (!is.list(entry)) {
    return(list(column = entry, how = "total"))
  }
  spec <- entry[[1]]
  if (!is.null(spec$count_distinct)) {
    return(list(column = spec$count_distinct, how = "distinct"))
  }
  fits <- vapply(measure_hows, function(kind) {
    kind$maker %in% names(spec) && identical(spec$per, kind$per) && is.null(spec$where)
  }, NA)
  how <- names(measure_hows)[fits][1]
  if (is.na(how)) list(how = "other") else list(column = spec[[measure_hows[[how]]$maker]], how = how, to = spec$to)
}

# What can stand beside the main measure, and alone: exact columns, lines, orders.
brief_entry_of <- function(name) {
  if (name == "orders") measure_entry("order", "distinct") else name
}

is_held <- function(facts, entry) {
  held <- tryCatch(holds_measure(facts, brief_measures(list(entry))[[1]]), error = function(cnd) FALSE)
  if (is.character(entry)) entry %in% c("lines", facts_numbers(facts)) else held
}

# Conditions ----------------------------------------------------------------------------------------------

# The condition that a column has one of these values; a blank is a value too.
value_condition <- function(column, values) {
  name <- as.symbol(column)
  given <- values[!is.na(values)]
  if (inherits(given, "Date")) given <- format(given)
  conditions <- c(if (anyNA(values)) list(call("is.na", name)),
             if (length(given)) list(call("%in%", name, vector_call(given))))
  either <- if (length(conditions) == 2) call("(", call("|", conditions[[1]], conditions[[2]]))
  expression_source(either %||% conditions[[1]])
}

day_condition <- function(operator, day) {
  expression_source(call(operator, quote(day), call("as.Date", format(day))))
}

# A condition in words: "region Vale or Highfen", "from 2025-01-01", "lines with revenue above 500"; others as they are
# written.
condition_words <- function(text, verb) {
  expr <- tryCatch(str2lang(text), error = function(cnd) NULL)
  before <- if (verb == "keep") "only " else "without "
  if (rlang::is_call(expr, "&", n = 2)) {
    sides <- vapply(as.list(expr)[-1], function(side) condition_words(expression_source(side), verb), "")
    return(paste0(before, paste(sub(paste0("^", before), "", sides), collapse = " with ")))
  }
  simple <- condition_values(expr)
  if (!is.null(simple)) {
    shown <- utils::head(replace(as.character(simple$values), is.na(simple$values), "blank"), 3)
    more <- length(simple$values) - length(shown)
    words <- paste(c(shown, if (more > 0) sprintf("%d more", more)), collapse = " or ")
    return(sprintf("%s%s %s", before, name_words(simple$column), words))
  }
  day <- verb == "keep" && rlang::is_call(expr, c(">=", "<="), n = 2) && identical(expr[[2]], quote(day)) &&
    rlang::is_call(expr[[3]], "as.Date", n = 1) && is.character(expr[[3]][[2]])
  if (day) {
    return(paste(if (rlang::is_call(expr, ">=")) "from" else "until", expr[[3]][[2]]))
  }
  if (rlang::is_call(expr, names(number_operators), n = 2) && is.symbol(expr[[2]]) && is.numeric(expr[[3]])) {
    return(sprintf("%slines with %s %s %s", before, name_words(as.character(expr[[2]])),
                   number_operators[[as.character(expr[[1]])]], people_plain(expr[[3]])))
  }
  sprintf("%swhere %s", before, text)
}

number_operators <- c(`>` = "above", `>=` = "at least", `<` = "below", `<=` = "at most")

condition_values <- function(expr) {
  if (rlang::is_call(expr, "(", n = 1)) {
    return(condition_values(expr[[2]]))
  }
  if (rlang::is_call(expr, "|", n = 2)) {
    sides <- lapply(as.list(expr)[-1], condition_values)
    same <- !any(vapply(sides, is.null, NA)) && identical(sides[[1]]$column, sides[[2]]$column)
    return(if (same) list(column = sides[[1]]$column, values = c(sides[[2]]$values, sides[[1]]$values)))
  }
  if (rlang::is_call(expr, "is.na", n = 1) && is.symbol(expr[[2]])) {
    return(list(column = as.character(expr[[2]]), values = NA))
  }
  listed <- rlang::is_call(expr, c("%in%", "=="), n = 2) && is.symbol(expr[[2]]) &&
    (rlang::is_atomic(expr[[3]]) ||
       rlang::is_call(expr[[3]], "c") && all(vapply(as.list(expr[[3]])[-1], rlang::is_atomic, NA)))
  if (listed) {
    values <- as.list(expr[[3]])
    list(column = as.character(expr[[2]]), values = unlist(if (is.call(expr[[3]])) values[-1] else values))
  }
}
