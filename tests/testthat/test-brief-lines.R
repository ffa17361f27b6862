lines_of_text <- function(...) {
  found <- hinterfeld:::yaml_lines(c(...))
  stats::setNames(found$line, found$path)
}

test_that("keys, entries and flow collections have their lines", {
  found <- lines_of_text(
    "# comment", "a: 1", "b:", "  - x", "  - k: 1", "    l: [1, {m: 2,", "      n: 3}]", "  -", "    o: 1", "c:", "- 1",
    "- 2",
    "\"d e\": |", "  not: a key", "", "  - nor this", "f: {g: 1, 'h i': [2,", "  3]}", "- odd: x"
  )
  expect_identical(found[c("a", "b", "b > 1", "b > 2", "b > 2 > k", "b > 2 > l", "b > 2 > l > 2 > m",
                           "b > 2 > l > 2 > n", "b > 3 > o")],
                   c(a = 2L, b = 3L, `b > 1` = 4L, `b > 2` = 5L, `b > 2 > k` = 5L, `b > 2 > l` = 6L,
                     `b > 2 > l > 2 > m` = 6L,
                     `b > 2 > l > 2 > n` = 7L, `b > 3 > o` = 9L))
  expect_identical(found[c("c > 1", "c > 2", "d e", "f", "f > g", "f > h i", "f > h i > 2")],
                   c(`c > 1` = 11L, `c > 2` = 12L, `d e` = 13L, f = 17L, `f > g` = 17L, `f > h i` = 17L,
                     `f > h i > 2` = 17L))
  expect_false(any(grepl("not|nor", names(found))))
})

test_that("every key of the demo's brief has its line", {
  text <- readLines(demo_brief())
  found <- hinterfeld:::yaml_lines(text)
  paths <- character()
  walk <- function(x, path) {
    if (!is.list(x)) return(invisible())
    keys <- names(x) %||% seq_along(x)
    for (i in seq_along(x)) {
      paths <<- c(paths, paste(c(path, keys[i]), collapse = " > "))
      walk(x[[i]], c(path, keys[i]))
    }
  }
  walk(read_brief(demo_brief())$content, NULL)
  expect_gt(length(paths), 100)
  expect_identical(setdiff(paths, found$path), character())
  last <- sub("^.* > ", "", found$path)
  named <- !grepl("^[0-9]+$", last)
  held <- mapply(function(key, line) grepl(key, text[line], fixed = TRUE), last[named], found$line[named])
  expect_true(all(held))
})
