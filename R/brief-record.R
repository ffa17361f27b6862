# The record of a run: what went in, what was left out, what came out.

# Of several files, the sizes and hashes of all.
input_file_record <- function(path, hashes) {
  files <- quietly(source_files(path))
  each <- file_hashes(files, hashes)
  if (length(files) == 1 && !dir.exists(path)) {
    return(list(bytes = file.size(files), xxh128 = each))
  }
  list(files = length(files), bytes = sum(file.size(files)),
       xxh128 = rlang::hash(paste(basename(files), each, collapse = "\n")))
}

# SHA-256 is for whoever receives a file; the quick hash is for the next run, which looks whether it is still the same.
# Large outputs are hashed by a copy of this process, while this process evaluates `meanwhile`.
output_records <- function(files, meanwhile) {
  hash <- function() {
    lapply(files, function(file) {
      list(bytes = file.size(file), sha256 = sha256_file(file), xxh128 = rlang::hash_file(file))
    })
  }
  (if (sum(file.size(files)) > 1e7) in_a_copy(hash, meanwhile)) %||% hash()
}

is_as_made <- function(path, output) {
  file_kind_kernel(path.expand(path)) == "file" && if (is.null(output$xxh128)) {
    identical(sha256_file(path), output$sha256)
  } else {
    identical(rlang::hash_file(path), output$xxh128)
  }
}

# Rows of a database are all of one moment, and are counted only for the record: there they may be known already.
input_record <- function(brief, rows = FALSE) {
  files <- brief_files(brief)
  hashes <- brief$open_store$hashed %||% hashed_files
  list(
    inputs = c(
      list(c(list(file = basename(brief$path)), input_file_record(brief$path, hashes))),
      lapply(files, function(file) {
        of_file <- is.null(file$database)
        about <- if (of_file) {
          input_file_record(file$path, hashes)
        } else if (rows) {
          list(rows = open_brief_file(file)$rows)
        }
        c(list(file = file$shown), about)
      })
    ),
    versions = list(hinterfeld = unname(getNamespaceVersion("hinterfeld")), R = as.character(getRversion()),
                    ggplot2 = as.character(utils::packageVersion("ggplot2")))
  )
}

# The record of the run that made what is in the folder; NULL where there is none, or what there is was not written by
# a run.
record_in <- function(folder) {
  record <- file_json(file.path(folder, "run.json"))
  if (is_record(record)) record
}

is_record <- function(record) {
  texts <- function(x) is.list(x) && all(vapply(x, rlang::is_string, NA))
  rows <- function(x, ...) {
    is.list(x) && all(vapply(x, function(value) is.list(value) && has_fields(value, list(...)), NA))
  }
  has_fields <- function(value, tests) {
    all(vapply(names(tests), function(name) is.null(value[[name]]) || isTRUE(tests[[name]](value[[name]])), NA))
  }
  file <- function(x) rlang::is_string(x) && !grepl("[/\\\\]", x)
  number <- function(x) is.numeric(x) && length(x) == 1
  is.list(record) && all(c("brief", "inputs", "versions", "lines", "audit", "outputs", "started") %in% names(record)) &&
    rlang::is_string(record$brief) && rlang::is_string(record$started) && texts(record$versions) &&
    is.list(record$lines) && has_fields(record$lines, list(kept = number)) &&
    rows(record$inputs, file = rlang::is_string, xxh128 = rlang::is_string, rows = number) &&
    all(vapply(record$inputs, function(value) !is.null(value$file), NA)) &&
    rows(record$audit, revenue_after = number) && rows(record$findings %||% list(), kind = rlang::is_string,
         column = rlang::is_string, member = rlang::is_string, finding = rlang::is_string) &&
    rows(record$outputs, file = file, sha256 = rlang::is_string, xxh128 = rlang::is_string, keys = texts,
         columns = texts, periods = function(x) texts(x) && all(unlist(x) %in% grains)) &&
    all(vapply(record$outputs, function(value) all(c("file", "sha256") %in% names(value)), NA)) &&
    has_fields(record, list(calendar = texts, headline = function(x) {
      is.list(x) && has_fields(x, list(currency = rlang::is_string, best_sellers = texts))
    }))
}

# The same if it is of this brief.
former_record <- function(folder, brief) {
  record <- record_in(folder)
  if (length(record$outputs) && identical(record$brief, basename(brief$path))) record
}

# Files of the folder that its last run made, and that are still as they were made.
made_before <- function(former, folder) {
  if (is.null(former)) {
    return(character())
  }
  same <- vapply(former$outputs, function(output) {
    path <- file.path(folder, output$file)
    !is_link(path) && (!file.exists(path) || is_as_made(path, output))
  }, NA)
  c("run.json", vapply(former$outputs[same], function(output) output$file, ""))
}

# Same inputs and versions, and every output is still as it was made. Without a former run `inputs` is never evaluated.
is_current <- function(former, inputs, folder) {
  if (is.null(former)) {
    return(FALSE)
  }
  same <- function(a, b) identical(jsonlite::toJSON(a, auto_unbox = TRUE, digits = NA),
                                   jsonlite::toJSON(b, auto_unbox = TRUE, digits = NA))
  # Rows of a database may be others, however many there are.
  hashed <- all(vapply(inputs$inputs, function(input) !is.null(input$xxh128), NA))
  hashed && same(former$inputs, inputs$inputs) && same(former$versions, inputs$versions) &&
    all(vapply(former$outputs, function(output) is_as_made(file.path(folder, output$file), output), NA))
}

line_counts <- function(book) {
  steps <- book$trail
  gone <- function(what) sum((steps$lines_before - steps$lines_after)[steps$what %in% what])
  list(
    read = steps$lines_after[steps$what == "read"][1], kept = as.double(book$lines),
    left_out = gone(c("keep", "leave out")),
    unclear = gone("undecided"), set_aside = gone("set aside")
  )
}

# What is told first of a run, and of what changed since.
headline_record <- function(facts, brief) {
  region <- brief$content$report$region %||% "region"
  best <- if (!is.null(brief$content$report) && all(c("product", region) %in% split_columns(facts$all))) {
    best_of <- best_of_each(totals(facts$all, by = tidyselect::all_of(c(region, "product"))),
                          within = tidyselect::all_of(region))
    as.list(stats::setNames(best_of$best_seller, best_of[[region]]))
  }
  Filter(Negate(is.null), list(currency = brief$content$daybook$currency, best_sellers = best))
}

# What each finding says, and what it is about: by that it is found again in the next run.
findings_record <- function(found) {
  if (is.null(found)) list() else as.data.frame(found)[c("kind", "column", "member", "finding")]
}

# What a run has done, for who reads along.
run_lines <- function(record, folder) {
  lines <- record$lines
  files <- vapply(record$outputs, function(output) output$file, "")
  rows <- vapply(record$outputs, function(output) if (is.null(output$rows)) "" else count_of(output$rows, "row"), "")
  c(
    text_notes(sprintf("%s read: %s kept, %s left out, %s undecided, %s set aside.",
                       count_of(lines$read, "line"), group_digits(lines$kept),
                       group_digits(lines$left_out), group_digits(lines$unclear), group_digits(lines$set_aside))),
    sprintf("Written to %s:", folder),
    sub(" +$", "", sprintf("  %s  %s", formatC(c(files, "run.json"), width = -max(nchar(files))),
                           c(formatC(rows, width = max(nchar(rows))), "")))
  )
}
