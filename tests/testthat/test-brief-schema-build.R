test_that("a brief picks inside its steps, and renames columns at last", {
  table <- "tables:\n  regions:\n    by: [region, product]\n    add:\n      - best_sellers: {n: 1, within: region}\n"
  table <- paste0(table, "      - share: {}\n    headings: {region: Place, revenue_share: part}\n")
  path <- brief_folder(paste0(sub("(?s)tables:.*?(?=outputs:)", table, small_brief, perl = TRUE)))
  expect_identical(nrow(check_brief(path)), 0L)
  quiet(run_brief(path))
  found <- utils::read.csv(file.path(dirname(path), "out", "regions.csv"))
  expect_identical(names(found), c("Place", "product", "revenue", "revenue_rank", "part"))
})

test_that("a brief's table stands in the order and shows the period that it says", {
  table <- "tables:\n  regions:\n    by: region\n    every: year\n    add:\n      - in_period: {period: \"2026\"}\n"
  table <- paste0(table, "      - sort_rows: {order: [-revenue]}\n")
  path <- brief_folder(sub("(?s)tables:.*?(?=outputs:)", table, small_brief, perl = TRUE))
  expect_identical(nrow(check_brief(path)), 0L)
  quiet(run_brief(path))
  found <- utils::read.csv(file.path(dirname(path), "out", "regions.csv"))
  expect_identical(found$revenue, c(24, 11.5))
  wrong <- brief_folder(sub("(?s)tables:.*?(?=outputs:)", sub("-revenue", "-revenu", table), small_brief, perl = TRUE))
  expect_match(check_brief(wrong)$problem, "`revenu` is not one of the columns")
})

test_that("every key of a brief is described", {
  undescribed <- function(x, path) {
    if (!is.list(x)) {
      return(character())
    }
    lacking <- names(Filter(function(form) is.null(form$description), x$properties))
    c(if (length(lacking)) paste(path, lacking),
      unlist(Map(undescribed, x, paste(path, names(x) %||% seq_along(x))), use.names = FALSE))
  }
  schema <- brief_schema()
  expect_identical(undescribed(schema, ""), character())
  # And each description is of a key that there is.
  keys <- function(x) if (is.list(x)) c(names(x$properties), unlist(lapply(x, keys), use.names = FALSE))
  expect_identical(setdiff(sub("^.* ", "", names(key_words)), keys(schema)), character())
})
