test_that("a mistake has the line of its key, in blocks, entries and flow collections", {
  path <- brief_folder(paste(c(
    "brief: 1", "data:", "  lines: sales.csv", "daybook: {day: day, product: product,", "  revenue: revenue, wrong: 1}",
    "restrict:", "- keep: status == \"paid\"", "- wrong: 2", "tables:", "  \"re gions\":", "    by: region",
    "    title: |", "      wrong: no key", "", "      nor wrong: this", "    add:",
    "      - share: {within: region, 'wrong': [1,", "          2]}", "      -", "        wrong: 4",
    "    # wrong: not a key", "outputs:", "  folder: out", ""), collapse = "\n"))
  problems <- check_brief(path)
  problems <- problems[grepl("wrong", problems$problem), ]
  expect_setequal(problems$line, c(5L, 8L, 17L, 20L))
})

test_that("every key of the demo's brief has its line", {
  text <- readLines(demo_brief())
  keys <- grep("^ *(- )?(lines|daybook|day|product|revenue|restrict|by|every|add|folder|title|place):", text)
  withr::local_seed(8)
  folder <- withr::local_tempdir()
  file.copy(list.files(dirname(demo_brief()), full.names = TRUE), folder, recursive = TRUE)
  path <- file.path(folder, basename(demo_brief()))
  for (line in keys[some_of(length(keys), 6)]) {
    writeLines(replace(text, line, sub("([a-z_]+):", "zz\\1zz:", text[line])), path)
    expect_true(line %in% check_brief(path)$line, label = text[line])
  }
})
