# Numbers as text, in one place. For machines always with a point and without grouping; for people with the decimal mark
# and the mark between thousands that the options `hinterfeld.decimal_mark` and `hinterfeld.group_mark` say.

# Numbers that read back as the same number, without exponent.
number_text <- function(x) {
  text <- short_number_kernel(as.double(x))
  rest <- which(is.na(text) & !(is.na(x) & !is.nan(x)))
  text[rest] <- long_number_text(as.double(x)[rest])
  text
}

long_number_text <- function(x) {
  text <- format_plain(x, 15L)
  off <- which(is.finite(x) & as.numeric(text) != x)
  for (digits in 16:17) {
    if (length(off) == 0) break
    text[off] <- format_plain(x[off], digits)
    off <- off[as.numeric(text[off]) != x[off]]
  }
  text
}

# The same in every session: options for the decimal mark and for exponents do not count.
format_plain <- function(x, digits) {
  text <- trimws(formatC(as.double(x), digits = digits, format = "fg", decimal.mark = "."))
  replace(text, is.na(x), NA)
}

# With a fixed number of decimals, for machines.
fixed_text <- function(x, decimals) {
  fixed_text_kernel(as.double(x), decimals)
}

# Whole numbers inside a label that is a value of a table: the same for everybody.
label_digits <- function(x) {
  formatC(x, format = "d", big.mark = " ")
}

decimal_mark <- function() {
  people_mark("hinterfeld.decimal_mark", ".")
}

group_mark <- function() {
  people_mark("hinterfeld.group_mark", " ")
}

people_mark <- function(option, default) {
  mark <- getOption(option, default)
  if (!rlang::is_string(mark) || nchar(mark) > 1 || grepl("[0-9+-]", mark)) {
    stop_because("argument", sprintf("The option `%s` must be one character.", option),
                 i = "For example `options(hinterfeld.decimal_mark = \",\")`.", call = NULL)
  }
  mark
}

# For people: "1 234.50", with `signed` "+1 234.50". Missing stays missing.
people_number <- function(x, decimals, signed = FALSE) {
  # What rounds to nothing has no sign, unless that is what is shown.
  if (!signed) x <- replace(x, which(round(x, decimals) == 0), 0)
  group <- group_mark()
  text <- formatC(x, format = "f", digits = decimals, big.mark = if (nzchar(group)) group else "",
                  decimal.mark = decimal_mark(),
                  flag = if (signed) "+" else "")
  replace(text, is.na(x), NA)
}

# With all of its decimals.
people_plain <- function(x) {
  text <- number_text(x)
  digits <- strsplit(sub("^-", "", text), ".", fixed = TRUE)
  whole <- vapply(digits, function(piece) piece[1], "")
  rest <- vapply(digits, function(piece) if (length(piece) > 1) paste0(decimal_mark(), piece[2]) else "", "")
  grouped <- gsub("(?<=[0-9])(?=([0-9]{3})+$)", group_mark(), whole, perl = TRUE)
  replace(paste0(ifelse(startsWith(text, "-"), "-", ""), grouped, rest), is.na(x), NA)
}

group_digits <- function(x) {
  people_number(x, 0)
}

# Money and other numbers of some decimals.
fixed_number_text <- function(x, decimals) {
  people_number(x, decimals)
}

# "16.0 %", "+4.2 %"; missing stays missing.
percent_text <- function(x, signed = FALSE) {
  text <- paste(people_number(100 * x, 1, signed), "%")
  replace(text, is.na(x), NA)
}

# "80 %", "80.4 %": without needless decimals.
percent_words <- function(x) {
  paste(people_plain(round(100 * x, 1)), "%")
}

# "0", "25 k", "1.2 M": short, for axes and cells.
short_number <- function(x) {
  size <- max(abs(x), 0, na.rm = TRUE)
  scale <- if (size >= 1e6) list(1e6, " M") else if (size >= 1e4) list(1e3, " k") else list(1, "")
  text <- people_plain(signif(x / scale[[1]], 7))
  ifelse(is.na(x), NA, ifelse(x == 0, "0", paste0(text, scale[[2]])))
}
