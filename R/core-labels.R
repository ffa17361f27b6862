# The labels that codes have in a totals table, no two alike.

total_code <- -1L
not_given <- "not given"

# A key's values as text: each value of its own keeps a text of its own.
plain_value <- function(x) {
  if (is.numeric(x) && !inherits(x, "Date") && !is.object(x)) number_text(x) else as.character(x)
}

# `label`, made different until it is none of the texts that are held.
make_distinct <- function(label, held, more) {
  while (label %in% held) label <- paste0(label, more)
  label
}

# The words for subtotals and for missing text. A code decides what a row is; the words only must not be those of a
# value that the facts hold, whatever rows the table gets later.
choose_labels <- function(keys, codes) {
  texts <- Filter(function(key) is.character(key$labels), keys)
  held <- lapply(texts, labels_like, c("Total", not_given))
  labels <- list(total = make_distinct("Total", unlist(held), " of all"),
                 not_given = make_distinct(not_given, unlist(held), ", blank"))
  used <- function(code) vapply(codes, function(of_key) any_missing_or_total(of_key) && any(of_key == code), NA)
  holder_of <- function(value) {
    columns_named(vapply(texts[vapply(held, function(of_key) value %in% of_key, NA)], function(key) key$name, ""))
  }
  if (labels$total != "Total" && any(used(total_code))) {
    say("label", sprintf("%s holds \"Total\", so subtotals are called \"%s\".", holder_of("Total"), labels$total))
  }
  if (labels$not_given != not_given && any(used(0L))) {
    say("label",
        sprintf("%s holds \"not given\", so blanks are called \"%s\".", holder_of(not_given), labels$not_given))
  }
  labels
}

# The labels of a key that begin with one of some words and that are those of a line: lines that were left out have
# none, wherever they were left out.
labels_like <- function(key, words) {
  near <- which(Reduce(`|`, lapply(words, startsWith, x = key$labels)))
  if (length(near)) key$labels[intersect(near, as.integer(key$codes))]
}

# A key's values for the codes of some rows. A column that must say Total is text, or a factor.
key_values <- function(key, codes, rows, labels) {
  special <- any_missing_or_total(codes)
  if (is.character(key$labels)) {
    codes <- take_rows(list(codes), rows)[[1]]
    return(lazy_text(if (special) special_codes(codes, length(key$labels)) else codes,
                      if (special) c(key$labels, labels$not_given, labels$total) else key$labels))
  }
  if (!special) {
    return(label_values_kernel(key$labels, codes, rows, threads_wanted()))
  }
  codes <- codes[rows]
  if (!any(codes == total_code)) {
    return(key$labels[replace(codes, codes <= 0, NA)])
  }
  if (is.factor(key$labels)) {
    levels <- c(levels(key$labels), labels$total)
    return(factor(replace(codes, codes == total_code, length(levels)), seq_along(levels), levels))
  }
  lazy_text(special_codes(codes, length(key$labels)), c(plain_value(key$labels), labels$not_given, labels$total))
}

# Is any code that of a missing value or of a total?
any_missing_or_total <- function(codes) {
  any_special_kernel(codes, threads_wanted())
}

# Codes of missing and total behind those of the labels.
special_codes <- function(codes, count) {
  codes[codes == 0L] <- count + 1L
  codes[codes == total_code] <- count + 2L
  codes
}

# Back from a column to the codes of its key: 0 for missing, NA for what is none of its values.
label_codes <- function(key, values, labels) {
  if (inherits(values, "Date")) {
    codes <- match(as.double(values), as.double(key$labels))
    return(replace(codes, is.na(values), 0L))
  }
  coded <- distinct_codes(values)
  key_labels <- if (is.character(coded$labels) && !is.character(key$labels)) plain_value(key$labels) else key$labels
  if (is.object(key_labels)) {
    key_labels <- if (is.factor(key_labels)) as.character(key_labels) else as.double(key_labels)
  }
  codes <- match(coded$labels, key_labels)
  codes[is.na(coded$labels)] <- 0L
  if (is.character(coded$labels)) {
    # They are unlike any value that a line has; a value of lines that were left out may be called so.
    codes[coded$labels %in% labels$not_given] <- 0L
    codes[coded$labels %in% labels$total] <- total_code
  }
  recode_kernel(coded$codes, codes, 0L, threads_wanted())
}
