# Parquet files. What damaged bytes do to their reader cannot be foreseen, so a copy of this process reads them: it may
# end, and this one does not. What was read is held against all that the file says of itself.

scan_parquet <- function(path, options, call = caller_env(), wanted = NULL) {
  stamp <- file_stamps(path)
  about <- parquet_about(path, call)
  check_names(about$names, path, NULL, call)
  list(path = path, stamp = stamp, names = about$names, rows = about$rows, empty = NULL,
       prototype = about$prototype, long = about$long)
}

parquet_names <- function(path, options, call = caller_env()) {
  parquet_about(path, call)$names
}

parquet_about <- function(path, call) {
  need_package("nanoparquet", "to read Parquet", call)
  read_parquet_apart(path, call, function() {
    rows <- as.double(nanoparquet::read_parquet_info(path)$num_rows)
    schema <- nanoparquet::read_parquet_schema(path)
    schema <- schema[!is.na(schema$type), ]
    types <- schema$r_type
    prototype <- lapply(stats::setNames(types, schema$name), function(type) {
      switch(type, character = , factor = character(), Date = plain_days(numeric()),
             POSIXct = .POSIXct(numeric(), "UTC"), logical = logical(), integer = , double = numeric(), list())
    })
    long <- schema$name[schema$type == "INT64" & types == "double"]
    list(names = schema$name, rows = rows, prototype = prototype, long = long)
  })
}

chunks_parquet <- function(scan, plan, options, take, call = caller_env()) {
  columns <- read_parquet_apart(scan$path, call, function() {
    about <- nanoparquet::read_parquet_metadata(scan$path)
    check_checksum(about, scan$path, call)
    chunks <- about$column_chunks
    chunks <- chunks[vapply(chunks$path_in_schema, paste, "", collapse = ".") %in% names(plan), ]
    check_pages(chunks, scan$path, call)
    table <- nanoparquet::read_parquet(scan$path, col_select = names(plan))
    check_values(table, scan$path, call)
    check_recorded(table, chunks, scan, call)
    check_whole(table, scan, call)
    # Text crosses to the other process as codes.
    lapply(plain_chunk(table, names(plan), options$types), function(x) if (is.character(x)) text_codes(x) else x)
  })
  check_unchanged(scan$path, scan$stamp, call)
  if (scan$rows > 0) take(lapply(columns, function(x) if (is.list(x)) lazy_text(x$codes, x$labels) else x))
}

read_parquet_apart <- function(path, call, job) {
  columns <- opened_or_stop(in_a_copy(job), path, "Parquet", call)
  if (is.null(columns)) stop_damaged(path, "Reading it ended the process that read it.", call = call)
  columns
}

# Our own files contain the SHA-256 of everything before the description at their end.
parquet_checksum_key <- "hinterfeld.sha256"

parquet_checksum <- function(path) {
  paste(sha256_bytes(readBin(path, "raw", parquet_footer(path))), collapse = "")
}

# Where the description begins: the last eight bytes are its length and a mark.
parquet_footer <- function(path) {
  con <- file(path, "rb")
  on.exit(close(con))
  seek(con, file.size(path) - 8)
  file.size(path) - 8 - readBin(con, "integer", 1, endian = "little")
}

check_checksum <- function(about, path, call) {
  keys <- about$file_meta_data$key_value_metadata[[1]]
  recorded <- keys$value[keys$key %in% parquet_checksum_key]
  if (length(recorded) && !identical(recorded, parquet_checksum(path))) {
    stop_damaged(path, "Its checksum does not fit its contents.", call = call)
  }
}

check_pages <- function(chunks, path, call) {
  # Some writers note 0 where there is no dictionary.
  dictionary <- replace(chunks$dictionary_page_offset, chunks$dictionary_page_offset %in% 0, NA)
  first <- pmin(dictionary, chunks$data_page_offset, na.rm = TRUE)
  bad <- damaged_chunk_kernel(path.expand(path), first, chunks$total_compressed_size)
  if (bad > 0) {
    stop_damaged(path, sprintf("A page of column `%s` is not what its checksum says.", chunks$path_in_schema[[bad]]),
                 call = call)
  }
}

# How many values there are and are missing, and the smallest and largest, where the writer noted them.
check_recorded <- function(table, chunks, scan, call) {
  if (nrow(table) != scan$rows) {
    stop_damaged(scan$path, sprintf("It says that it has %s, and %s were read.", count_of(scan$rows, "row"),
                                    group_digits(nrow(table))), call = call)
  }
  for (name in names(table)) {
    own <- chunks[vapply(chunks$path_in_schema, identical, NA, name), ]
    x <- table[[name]]
    missing <- sum(is.na(x) & !is.nan(if (is.numeric(x)) x else NA))
    if (!is.null(own$null_count) && !anyNA(own$null_count) && missing != sum(own$null_count)) {
      stop_damaged(scan$path, sprintf("Column `%s` lacks %s, and says that it lacks %s.", name,
                                      count_of(missing, "value"), group_digits(sum(own$null_count))), call = call)
    }
    recorded <- if (is.integer(x) || inherits(x, "Date") || is.double(x) && !is.object(x)) recorded_range(own, x)
    range_read <- if (length(recorded)) range_of(x)
    if (length(recorded) && !identical(as.double(range_read), recorded)) {
      stop_damaged(scan$path, sprintf("Column `%s` does not have the smallest and largest value that it says.", name),
                   call = call)
    }
  }
}

range_of <- function(x) {
  x <- unclass(x)
  x <- x[!is.na(x)]
  if (length(x)) range(x)
}

# The smallest and largest number of a column `x`, of chunks whose writer noted both; NULL for numbers that stand in the
# file for others, such as decimals.
recorded_range <- function(chunks, x) {
  type <- if (is.double(x) && !is.object(x)) "DOUBLE" else "INT32"
  if (nrow(chunks) == 0 || !all(chunks$type == type) || !all(c("min_value", "max_value") %in% names(chunks))) {
    return(NULL)
  }
  values <- vapply(c(chunks$min_value, chunks$max_value), function(bytes) {
    if (length(bytes) != (if (type == "INT32") 4 else 8)) return(NA_real_)
    as.double(readBin(bytes, if (type == "INT32") "integer" else "double", endian = "little"))
  }, 0)
  if (!anyNA(values)) range(values)
}

# A double does not hold whole numbers beyond 2^53 exactly: one order number would turn into another.
check_whole <- function(table, scan, call) {
  for (name in intersect(names(table), scan$long)) {
    if (any(abs(table[[name]]) >= 2^53, na.rm = TRUE)) {
      stop_because("type",
                   sprintf("Column `%s` of %s holds whole numbers of more than 15 digits.", name,
                           shown_file(scan$path)),
                   i = "Write them as text, or leave the column out with `columns`.", call = call)
    }
  }
}
