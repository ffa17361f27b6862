# Tables as delimited text (RFC 4180).

write_delimited <- function(x, path, delimiter) {
  text <- readr::format_delim(formula_safe(plain_columns(x)), delim = delimiter, na = "")
  write_bytes(charToRaw(enc2utf8(text)), path)
}

# Numbers as plain decimals: never an exponent, money with all its decimals.
plain_columns <- function(x) {
  exact <- exact_decimals(x)
  columns <- Map(function(values, name) {
    if (!is.numeric(values) || inherits(values, "Date")) {
      return(values)
    }
    text <- if (name %in% names(exact)) fixed_text(values, exact[[name]]) else number_text(values)
    ifelse(is.na(values), NA, text)
  }, as.list(x), names(x))
  tibble::new_tibble(columns, nrow = nrow(x))
}

# A cell that begins like a formula would be run by a spreadsheet, whatever it says; numbers may begin with a sign.
formula_safe <- function(x) {
  texts <- names(x)[vapply(x, function(column) is.character(column) || is.factor(column), NA)]
  for (name in texts) {
    text <- as.character(x[[name]])
    risky <- which(like_formula(text))
    if (length(risky)) {
      say("protected",
          sprintf("%s of `%s` begin like a formula and were written with an apostrophe in front, for example %s.",
                               count_of(length(risky), "text"), name, examples_of(text[risky], 1)))
      x[[name]] <- replace(text, risky, paste0("'", text[risky]))
    }
  }
  heads <- like_formula(names(x))
  names(x)[heads] <- paste0("'", names(x)[heads])
  x
}

like_formula <- function(text) {
  grepl("^[-=+@\t\r]", text) & !grepl("^[-+]?[0-9]*[.]?[0-9]+$", text)
}
