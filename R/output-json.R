# Tables as JSON (RFC 8259): a description and one object per row.

write_json_file <- function(x, path) {
  about <- table_description(x)
  columns <- lapply(unname(about$columns), function(form) {
    Filter(Negate(is.null), list(
      name = jsonlite::unbox(form$name), type = jsonlite::unbox(json_type(form$kind)),
      unit = if (form$kind == "money" && !is.null(about$unit)) jsonlite::unbox(about$unit),
      decimals = if (form$exact) jsonlite::unbox(form$decimals)
    ))
  })
  description <- list(title = jsonlite::unbox(about$title %||% NA_character_), sentences = about$sentences,
                      rows = jsonlite::unbox(nrow(x)), columns = columns)
  rows <- tibble::new_tibble(lapply(as.list(x),
                                    function(column) if (is.factor(column)) as.character(
                                      column
                                    ) else column), nrow = nrow(x))
  text <- sprintf("{\n\"description\": %s,\n\"rows\": %s\n}",
                  jsonlite::toJSON(description, pretty = TRUE, na = "null", digits = NA),
                  json_rows(rows))
  write_text(text, path)
}

# One line per row: readable, and a change in one row is a change in one line. Numbers are texts that read back as the
# same number, where the writer of JSON would keep 15 digits.
json_rows <- function(rows) {
  number <- vapply(rows, function(x) is.numeric(x) && !is.object(x), NA)
  columns <- Map(function(x, number) if (number) json_numbers(x) else json_values(x), as.list(rows), number)
  names <- vapply(names(rows), function(name) as.character(jsonlite::toJSON(name, auto_unbox = TRUE)), "")
  cells <- Map(function(name, values) paste0(name, ":", values), names, columns)
  if (nrow(rows) == 0) {
    return("[]")
  }
  paste0("[", paste0("{", do.call(paste, c(unname(cells), sep = ",")), "}", collapse = ",\n"), "]")
}

json_numbers <- function(x) {
  replace(number_text(x), !is.finite(x), "null")
}

# Each value as JSON, once per distinct one; what is missing is null.
json_values <- function(x) {
  values <- unique(x[!is.na(x)])
  text <- if (is.logical(x)) {
    tolower(values)
  } else {
    json_texts(if (inherits(x, "POSIXct")) format(values, "%Y-%m-%dT%H:%M:%S") else as.character(values))
  }
  replace(text[match(x, values)], is.na(x), "null")
}

# Plain values in lists, every vector as an array. The general writer of JSON takes longer for each of many small lists
# than it takes to keep what they describe.
plain_json <- function(x) {
  if (is.null(x)) {
    return("null")
  }
  values <- if (is.list(x)) vapply(x, plain_json, "") else
    if (is.character(x)) json_texts(x) else if (is.logical(x)) tolower(x) else number_text(x)
  if (!is.list(x) && anyNA(x)) values[is.na(x)] <- "null"
  if (is.list(x) && !is.null(names(x))) {
    sprintf("{%s}", paste0(json_texts(names(x)), ":", values, collapse = ","))
  } else {
    sprintf("[%s]", paste(values, collapse = ","))
  }
}

# Texts in quotes. Quotes inside a text are escaped, so the separator between two texts occurs in none of them. The
# extra text "end" keeps empty texts before it from being lost.
json_texts <- function(x) {
  x <- enc2utf8(x)
  texts <- sprintf("\"%s\"", x)
  special <- grep("[\"\\\\<[:cntrl:]]", x)
  if (length(special)) {
    json <- as.character(jsonlite::toJSON(c(x[special], "end")))
    inside <- strsplit(substr(json, 3, nchar(json) - 2), "\",\"", fixed = TRUE)[[1]]
    texts[special] <- sprintf("\"%s\"", utils::head(inside, -1))
  }
  texts
}

json_type <- function(kind) {
  c(text = "text", date = "date", period = "date", logical = "logical", money = "money", number = "number",
    name = "number", plain = "number", percent = "fraction", change = "fraction", `date-time` = "date-time")[[kind]]
}
