# Tables as Parquet: counts as INT64, other exact columns as DECIMAL of 64 bits, periods as dates beside their names,
# and in the metadata what they are.

write_parquet_file <- function(x, path) {
  need_package("nanoparquet", "to write Parquet")
  # A column of only blanks is written without its decimals: as DECIMAL it could not be read again.
  exact <- Filter(function(form) form$exact && !all(is.na(x[[form$name]])), column_forms(x))
  columns <- lapply(as.list(x), function(column) if (is.factor(column)) as.character(column) else column)
  data <- tibble::new_tibble(beside_names(columns, names_of_periods(x)), nrow = nrow(x))
  counted <- vapply(exact, function(form) form$kind != "money" && form$decimals == 0, NA)
  for (form in exact[!counted]) data[[form$name]] <- inside_decimal(data[[form$name]], form$decimals)
  types <- lapply(exact,
                  function(form) list("DECIMAL", precision = 18L, scale = form$decimals, primitive_type = "INT64"))
  types[counted] <- "INT64"
  none <- stats::setNames(strrep("0", 64), parquet_checksum_key)
  nanoparquet::write_parquet(data, path, schema = do.call(nanoparquet::parquet_schema, types),
                             metadata = c(none, parquet_words(x)))
  # The writer knows no checksums: the place that was kept for one is filled when the bytes are there.
  seal <- charToRaw(parquet_checksum(path))
  footer <- file_end(path, file.size(path) - parquet_footer(path))
  place <- parquet_footer(path) + grepRaw(none, footer, fixed = TRUE) - 1
  con <- file(path, "r+b")
  on.exit(close(con))
  seek(con, place, rw = "write")
  writeBin(seal, con)
}

# A column of periods is followed by one with their names, `month_name` after `month`, where no column is called so.
beside_names <- function(columns, named) {
  new <- paste0(names(named), "_name", recycle0 = TRUE)
  for (i in which(!new %in% names(columns))) {
    columns <- append(columns, stats::setNames(named[i], new[i]), match(names(named)[i], names(columns)))
  }
  columns
}

# What a table is, for whoever opens the file: its title, its sentences, and the code that makes it.
parquet_words <- function(x) {
  about <- table_description(x)
  code <- if (!is.null(answer_of(x))) {
    tryCatch(paste(as_code(quietly(inquiry_of(x))), collapse = "\n"), hinterfeld_error = function(cnd) NULL)
  }
  words <- list(title = about$title, sentences = paste(about$sentences, collapse = "\n"), code = code)
  words <- unlist(Filter(function(text) length(text) && nzchar(text), words))
  if (length(words)) stats::setNames(enc2utf8(words), paste0("hinterfeld.", names(words)))
}

# The writer truncates after the last decimal, and 1.15 as a double is slightly less than 1.15. A quarter of a minor
# unit away from zero, the value has the right decimals whether truncated or rounded; large amounts, whose doubles are
# further apart, need half a minor unit.
inside_decimal <- function(x, decimals) {
  units <- to_minor(x, decimals)
  from_minor(units + sign(units) * ifelse(abs(units) < 2^48, 1 / 4, 1 / 2), decimals)
}
