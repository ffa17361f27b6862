# The house rules of the code, read from the installed functions.

package <- asNamespace("hinterfeld")
layers <- c("core", "source", "output", "figure", "report", "brief", "cli")

# The layer each function of the package belongs to, from the file it was written in.
layer_of_functions <- function() {
  names <- Filter(function(name) is.function(package[[name]]), ls(package, all.names = TRUE))
  files <- vapply(names, function(name) {
    source <- attr(package[[name]], "srcref")
    if (is.null(source)) NA_character_ else basename(attr(source, "srcfile")$filename)
  }, "")
  sub("-.*$", "", files)
}

core_forbidden <- c(
  "print", "cat", "message", "writeLines", "readLines", "file", "readRDS", "saveRDS", "read.csv", "write.csv", "unlink",
  "file.exists", "Sys.time", "Sys.Date", "date", "proc.time", "plot", "png", "dev.off", "system", "system2", "setwd",
  "download.file", "url", "sink", "Sys.getenv"
)

test_that("core uses no file, plot, print or clock function and no interface package", {
  layer <- layer_of_functions()
  expect_gt(sum(!is.na(layer)), 100)
  core <- names(layer)[layer %in% "core"]
  expect_gt(length(core), 50)
  for (name in core) {
    code <- package[[name]]
    used <- codetools::findGlobals(code)
    expect_identical(intersect(used, core_forbidden), character(), label = name)
    packages <- regmatches(text <- deparse(code), regexpr("[[:alnum:].]+(?=::)", text, perl = TRUE))
    expect_identical(setdiff(packages, c("rlang", "tibble", "tidyselect", "stats", "utils")), character(), label = name)
  }
})

test_that("a layer calls only those below it", {
  layer <- layer_of_functions()
  expect_gt(sum(!is.na(layer)), 100)
  for (name in names(layer)[layer %in% layers]) {
    called <- intersect(codetools::findGlobals(package[[name]]), names(layer))
    above <- called[match(layer[called], layers) > match(layer[[name]], layers)]
    expect_identical(above[!is.na(above)], character(), label = name)
  }
})
