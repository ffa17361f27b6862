# Phrases: words that sentences are put together from.

# "a", "a and b", "a, b and c"
and_list <- function(x) {
  if (length(x) < 2) x else paste(paste(x[-length(x)], collapse = ", "), "and", x[length(x)])
}

quoted <- function(x) {
  paste0('"', x, '"')
}

capital <- function(x) {
  paste0(toupper(substr(x, 1, 1)), substring(x, 2))
}

# "1 line", "12 345 lines"
count_of <- function(n, noun, plural = paste0(noun, "s")) {
  paste(group_digits(n), if (n == 1) noun else plural)
}

# `"a", "b", "c" and 4 more`
examples_of <- function(x, most = 5, quote = '"') {
  x <- unique(x)
  shown <- paste0(quote, printable(as.character(utils::head(x, most))), quote)
  rest <- length(x) - length(shown)
  paste0(paste(shown, collapse = ", "), if (rest > 0) paste(" and", group_digits(rest), "more"))
}

columns_named <- function(names) {
  examples_of(names, most = 20, quote = "`")
}

# The question after a name that is unknown: the nearest known one of each, or else `otherwise`.
did_you_mean <- function(names, choices, quote = "`", otherwise = NULL) {
  near <- if (is.character(names)) unlist(lapply(names, nearest, choices = choices, most = 1))
  if (length(near)) sprintf("Did you mean %s?", paste0(quote, near, quote, collapse = ", ")) else otherwise
}

# The known names most like `name`, nearest first; none if nothing is near.
nearest <- function(name, choices, most = 3) {
  if (length(choices) == 0) {
    return(character())
  }
  distance <- drop(utils::adist(tolower(name), tolower(choices)))
  starts <- startsWith(tolower(choices), tolower(name))
  distance[starts] <- pmin(distance[starts], 1)
  near <- order(distance)[seq_len(min(most, length(choices)))]
  choices[near[distance[near] <= max(2, nchar(name) %/% 3)]]
}
