# Words that a good English colleague would not write, in any text of ours: each with what to write instead.
wrong_words <- c(
  "\\banew\\b" = "again", "\\bstands? for\\b" = "represents", "(?<!here )\\b(is|are) no\\b(?! longer)" = "is not a",
  "\\bmend(s|ed|ing)?\\b" = "correct", "\\baloud\\b" = "with a message", "\\bbesides\\b" = "also, apart from",
  "\\ball the same\\b" = "anyway", "\\bat hand\\b" = "available", "\\bonce more\\b" = "again",
  "\\bwholly\\b" = "entirely", "\\bbears?\\b" = "has", "\\bnothing but\\b" = "only", "\\bshall\\b" = "must, will",
  "\\bfor they\\b" = "because they", "\\bso many\\b" = "this many"
)

test_that("no text of ours has a word that reads as translated", {
  root <- test_path("..", "..")
  files <- list.files(file.path(root, c("R", "src", "docs", "vignettes", "bench", "tools", "tests/campaign",
                                        "inst/desk",
                                        "inst/cli", "inst/brief")), full.names = TRUE)
  files <- c(files, file.path(root, c("README.md", "NEWS.md", "CONTRIBUTING.md", "DESCRIPTION", "Makefile")))
  files <- files[grepl("([.](R|cpp|h|md|Rmd|js|json|yaml)|hinterfeld|DESCRIPTION|Makefile)$", files)]
  expect_gt(length(files), 250)
  found <- unlist(lapply(files, function(file) {
    lines <- readLines(file, encoding = "UTF-8", warn = FALSE)
    unlist(lapply(names(wrong_words), function(wrong) {
      at <- grep(wrong, lines, perl = TRUE)
      if (length(at)) sprintf("%s:%d: write \"%s\": %s", basename(file), at, wrong_words[[wrong]], trimws(lines[at]))
    }))
  }))
  expect_identical(found, NULL)
})
