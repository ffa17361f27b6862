# Tables as JSON (RFC 8259): a description and one object per row.

write_json_file <- function(x, path) {
  about <- table_description(x)
  columns <- lapply(unname(about$columns), function(fact) {
    Filter(Negate(is.null), list(
      name = jsonlite::unbox(fact$name), type = jsonlite::unbox(json_type(fact$kind)),
      unit = if (fact$kind == "money" && !is.null(about$unit)) jsonlite::unbox(about$unit),
      decimals = if (fact$exact) jsonlite::unbox(fact$decimals)
    ))
  })
  description <- list(title = jsonlite::unbox(about$title %||% NA_character_), sentences = about$sentences,
                      rows = jsonlite::unbox(nrow(x)), columns = columns)
  rows <- tibble::new_tibble(lapply(as.list(x), function(column) if (is.factor(column)) as.character(column) else column), nrow = nrow(x))
  text <- sprintf("{\n\"description\": %s,\n\"rows\": %s\n}", jsonlite::toJSON(description, pretty = TRUE, na = "null", digits = NA),
                  json_rows(rows))
  writeLines(text, path, useBytes = TRUE)
}

# One line per row: readable, and a change in one row is a change in one line. 15 digits are exact for every exact column.
json_rows <- function(rows) {
  text <- jsonlite::toJSON(rows, dataframe = "rows", na = "null", digits = NA, always_decimal = FALSE, Date = "ISO8601")
  gsub("},{\"", "},\n{\"", text, fixed = TRUE)
}

json_type <- function(kind) {
  c(text = "text", date = "date", period = "date", logical = "logical", money = "money", number = "number",
    plain = "number", percent = "fraction", change = "fraction", `date-time` = "date-time")[[kind]]
}
