# Types of columns of text: a column is typed only when every value of it fits.

check_types <- function(types, call = caller_env()) {
  types_known <- c("text", "number", "date", "datetime", "logical")
  if (is.null(types)) {
    return(invisible())
  }
  if (!is.character(types) || !rlang::is_named(types) || !all(types %in% types_known)) {
    stop_because("argument", "`types` must name columns and their types.",
                 x = if (is.character(types)) sprintf("It holds %s.", examples_of(setdiff(types, types_known))),
                 i = sprintf("The types are %s, for example `c(account = \"text\")`.", examples_of(types_known)),
                 call = call)
  }
}

check_type_names <- function(types, columns, shown, call = caller_env()) {
  check_known(names(types), columns, paste0("`types` names %s, which ", gsub("%", "%%", shown, fixed = TRUE),
                                            " does not have."), call = call)
}

# What is known of each column before a value of it is read as its type: "number" and "day" where every value is plainly
# one, "text" where it is or should be text, "open" where the distinct texts must tell.
column_kinds <- function(profile, names, types, blank) {
  # A text given as `blank` may look like a word.
  if (length(blank)) profile$words[] <- FALSE
  kinds <- ifelse(profile$days, "day", ifelse(profile$numbers, "number", ifelse(profile$words, "text", "open")))
  kinds[!profile$given & !profile$words] <- "open"
  asked <- ifelse(names %in% names(types), types[names], "")
  kinds[kinds == "number" & asked != "number" & !profile$one_text] <- "open"
  # A text given as `blank` may look like a number or a day too; only the distinct texts show which it is.
  if (any(grepl("[0-9]", blank))) kinds[kinds %in% c("number", "day")] <- "open"
  kinds[asked == "text"] <- "text"
  # If the scan cannot confirm the type asked for, every distinct text is read.
  kinds[asked == "number" & kinds != "number" | asked == "date" & kinds != "day" |
        asked %in% c("datetime", "logical")] <- "open"
  stats::setNames(kinds, names)
}

# What distinct texts represent, in the type asked for or in the one that all of them have; NULL where they stay text.
# `bad` are those that do not fit.
typed_texts <- function(texts, name, asked, mark, shown, call) {
  trimmed <- trimws(texts)
  if (is.null(asked)) {
    return(list(values = found_type(replace(trimmed, trimmed %in% c("", "NA"), NA), name, mark, shown)))
  }
  if (asked == "number") check_one_reading(trimmed, name, mark, shown, call)
  values <- switch(asked,
    number = read_numbers(trimmed, mark %||% if (any(grepl(",", trimmed, fixed = TRUE))) "."),
    date = plain_days(iso_days(trimmed)),
    datetime = iso_times(trimmed),
    logical = read_logical(trimmed)
  )
  list(values = values, bad = which(is.na(values)))
}

# Without a word on the decimal mark, 1,234 may be one number or another.
check_one_reading <- function(text, name, mark, shown, call) {
  either <- if (is.null(mark)) ambiguous_numbers(text)
  if (length(either)) {
    stop_because("type", sprintf("Column `%s` of %s holds numbers that can be read in two ways.", name, shown),
                 x = paste0(two_readings(either[1]), "."),
                 i = "Say which: `decimal_mark = \",\"` or `decimal_mark = \".\"`.", call = call)
  }
}

iso_days <- function(text) {
  whole <- grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}$", text)
  read_iso_days_kernel(replace(text, !whole, NA))
}

# A day and a time of it, in UTC; seconds and the Z may be missing.
iso_times <- function(text) {
  form <- "^([0-9]{4}-[0-9]{2}-[0-9]{2})(?:[T ]([0-9]{2}):([0-9]{2})(?::([0-9]{2}(?:[.][0-9]+)?))?Z?)?$"
  parts <- regmatches(text, regexec(form, text, perl = TRUE))
  part <- function(k) vapply(parts, function(pieces) if (length(pieces)) pieces[k] else NA_character_, "")
  number <- function(k) {
    given <- part(k)
    as.numeric(replace(given, given %in% "", "0"))
  }
  hour <- number(3)
  minute <- number(4)
  second <- number(5)
  seconds <- 86400 * iso_days(part(2)) + 3600 * hour + 60 * minute + second
  seconds[hour > 23 | minute > 59 | second >= 60] <- NA
  as.POSIXct(seconds, origin = "1970-01-01", tz = "UTC")
}

read_logical <- function(text) {
  ifelse(text %in% c("TRUE", "True", "true", "T", "1"), TRUE,
         ifelse(text %in% c("FALSE", "False", "false", "F", "0"), FALSE, NA))
}

# `texts` are without outer spaces, NA for blanks. Every one must fit, or the column stays text.
found_type <- function(texts, name, mark, shown) {
  distinct <- unique(texts[!is.na(texts)])
  at <- function(values) values[match(texts, distinct)]
  if (length(distinct) == 0) {
    return(NULL)
  }
  if (all(toupper(distinct) %in% c("TRUE", "FALSE"))) {
    return(at(toupper(distinct) == "TRUE"))
  }
  if (!anyNA(days <- iso_days(distinct))) {
    return(plain_days(at(days)))
  }
  if (all(grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}[T ][0-9]{2}:", distinct))) {
    times <- iso_times(distinct)
    return(if (!anyNA(times)) at(times))
  }
  numbers <- if (!any(names_something(distinct, mark))) read_numbers(distinct, mark)
  if (is.null(numbers) || anyNA(numbers)) {
    return(NULL)
  }
  same <- duplicated(numbers) | duplicated(numbers, fromLast = TRUE)
  if (any(same)) {
    pair <- distinct[numbers == numbers[same][1]]
    say("kept_text",
        sprintf("`%s` of %s stays text: it holds %s, which would become one number.", name, shown,
                examples_of(pair, 2)),
        i = sprintf("Are they amounts? `types = c(%s = \"number\")` reads them as numbers.", name), column = name)
    return(NULL)
  }
  at(numbers)
}

# Digits that a number would not give back: leading zeros, exponents of whole numbers, more than 15 digits, or 17 with
# a fraction, which is what a mean or a share is written with.
names_something <- function(text, mark) {
  digits <- gsub("^0+", "", gsub("[^0-9]", "", sub("[eE].*$", "", text)))
  decimal <- if (identical(mark, ",")) "," else "."
  fraction <- grepl(decimal, text, fixed = TRUE)
  digits <- ifelse(fraction, sub("0+$", "", digits), digits)
  grepl("^[-+]?0[0-9]", text) | grepl("^[-+]?[0-9]+[eE][0-9]+$", text) | nchar(digits) > ifelse(fraction, 17, 15)
}
