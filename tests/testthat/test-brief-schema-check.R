schema_file <- system.file("brief", "brief.schema.json", package = "hinterfeld")

# An independent validator of JSON Schema: the number of its errors in each brief. Only `true` and `false` are logical.
outside_errors <- function(briefs) {
  json <- withr::local_tempfile(fileext = ".json")
  as_typed <- function(x) x
  contents <- lapply(briefs, yaml::read_yaml, handlers = list(
    seq = as_typed, `bool#no` = function(x) if (x == "false") FALSE else x,
    `bool#yes` = function(x) if (x == "true") TRUE else x
  ))
  writeLines(jsonlite::toJSON(contents, auto_unbox = TRUE, null = "null", digits = NA), json)
  run <- processx::run("/usr/bin/python3", c("-c", "
import json, sys, jsonschema
schema = json.load(open(sys.argv[1]))
jsonschema.Draft202012Validator.check_schema(schema)
validator = jsonschema.Draft202012Validator(schema)
for brief in json.load(open(sys.argv[2])):
    print(len(list(validator.iter_errors(brief))))
", schema_file, json))
  scan(text = run$stdout, quiet = TRUE)
}

test_that("the form agrees with an independent validator of the schema", {
  expect_identical(nrow(check_brief(demo_brief())), 0L)
  wrong <- list(
    c("  day: day", "  dya: day"), c("brief: 1", "brief: 2"), c("      - share:", "      - share: {of: 3}"),
    c("  - keep:", "  - kep:"),
    c("    add:", "    every: moth\n    add:"), c("  folder: out", "  tables: [doc]"),
    c("  regions:", "  regions: 3\n  others:"),
    c("      - share:", "      - rank: {n: 0}"), c("tables:", "figures: {}\ntables:"),
    c("      - share:", "      - share:\n        rank:"),
    c("    by: region", "    by: {a: b}")
  )
  here <- rlang::current_env()
  paths <- vapply(wrong, function(change) {
    brief_folder(sub(change[1], change[2], small_brief, fixed = TRUE), env = here)
  }, "")
  errors <- outside_errors(c(demo_brief(), paths))
  expect_equal(errors[1], 0)
  expect_length(errors, 1 + length(wrong))
  expect_true(all(errors[-1] > 0))
  for (path in paths) expect_gt(nrow(check_brief(path)), 0)
})

test_that("each mistake says what is meant", {
  expect_snapshot({
    mistakes_in("  day: day", "  dya: day")
    mistakes_in("brief: 1", "brief: 2")
    mistakes_in("      - share:", "      - share: {of: 3}")
    mistakes_in("    add:", "    every:\n    add:")
    mistakes_in("      - share:", "      - share:\n        rank:")
    mistakes_in("    by: region", "    by: {a: b}")
    mistakes_in("  folder: out", "  workbook: a/b.xlsx")
    mistakes_in("  revenue: revenue", "  revenue: revenue\n  decimals: 9")
    mistakes_in("  revenue: revenue", "  revenue: revenue\n  calendar: {year_starts: april}")
    mistakes_in("      - share:", "      - change: {as_of: yesterday}")
    mistakes_in("      - share:", "      []")
  })
})

test_that("the defaults that the schema tells are those of the functions", {
  schema <- jsonlite::read_json(schema_file)
  default_of <- function(fun, argument) {
    value <- eval(formals(fun)[[argument]])
    if (length(value) > 1 && is.null(names(value))) value[1] else value
  }
  told <- function(rule, fun, skip = character()) {
    for (name in setdiff(names(rule$properties), skip)) {
      expect_true(name %in% names(formals(fun)), label = name)
      property <- rule$properties[[name]]
      if (is.null(property$default) &&
          !is.null(property[["$ref"]])) property <- schema[["$defs"]][[basename(property[["$ref"]])]]
      given <- property$default
      # Without a measure it is revenue, if the table has it.
      if (!is.null(given) && name != "of") expect_equal(unlist(given), default_of(fun, name), label = name)
    }
  }
  steps <- schema[["$defs"]]$step$properties
  for (name in names(steps)) {
    # What slow_sellers() takes behind `n` are the arguments of best_sellers().
    verb <- sub("^slow", "best", name)
    if (!verb %in% getNamespaceExports("hinterfeld")) verb <- paste0("add_", name)
    # The columns of an order are what sort_rows() takes as `...`.
    told(steps[[name]], getExportedValue("hinterfeld", verb), skip = "order")
  }
  told(schema$properties$daybook, daybook)
  told(schema$properties$daybook$properties$calendar, sales_calendar)
  told(schema[["$defs"]]$table$properties$crosstab, crosstab, skip = c("order", "best"))
  load_file <- getS3method("load_table", "default", envir = asNamespace("hinterfeld"))
  told(schema[["$defs"]]$file$anyOf[[2]], load_file, skip = "file")
  told(schema[["$defs"]]$attach, attach_table)
  choices <- tryCatch(sales_report(a_book(), withr::local_tempfile(fileext = ".html"), sections = "none"),
                      hinterfeld_error_argument = conditionMessage)
  sections <- unlist(schema$properties$report$properties$sections$items$anyOf[[1]]$enum)
  expect_identical(regmatches(choices, gregexpr("(?<=\")[a-z_]+(?=\")", choices, perl = TRUE))[[1]],
                   c("none", sections))
})
