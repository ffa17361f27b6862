# The house rules of the code, read from its sources and the installed functions.

package <- asNamespace("hinterfeld")
layers <- c("core", "source", "output", "figure", "report", "brief", "desk", "cli")

# Every source file as its lines, by name.
read_sources <- function() {
  files <- list.files(test_path("..", "..", "R"), "[.]R$", full.names = TRUE)
  stats::setNames(lapply(files, readLines, encoding = "UTF-8"), basename(files))
}

# The file of everything that is defined: functions, lists of them, constants.
files_of_names <- function(sources) {
  defined <- lapply(sources, function(lines) {
    calls <- Filter(function(x) rlang::is_call(x, "<-"), as.list(parse(text = lines, keep.source = FALSE)))
    vapply(calls, function(x) paste(as.character(x[[2]]), collapse = ""), "")
  })
  stats::setNames(rep(names(defined), lengths(defined)), unlist(defined))
}

# What an object uses: a function, or each function inside a list.
used_by <- function(object) {
  if (is.function(object)) {
    return(unlist(codetools::findGlobals(object, merge = FALSE)))
  }
  if (is.list(object) && !is.object(object)) unlist(lapply(object, used_by))
}

sources <- read_sources()
where <- files_of_names(sources)
layer_of <- function(file) sub("-.*$", "", file)
used <- lapply(mget(intersect(names(where), ls(package, all.names = TRUE)), package), used_by)
uses <- lapply(used, function(names) intersect(names, names(where)))

test_that("every file and its definitions are seen", {
  expect_gt(length(unique(where)), 90)
  expect_identical(names(where)[duplicated(names(where))], character())
  expect_setequal(intersect(layers, layer_of(where)), layers)
  # A list of functions is seen through.
  expect_true("add_rank" %in% uses$step_kinds)
})

test_that("whatever the code names is defined or imported", {
  known <- c(ls(package, all.names = TRUE), ls(parent.env(package), all.names = TRUE), ls(baseenv(), all.names = TRUE),
             utils::globalVariables(package = "hinterfeld"))
  unknown <- lapply(used, setdiff, known)
  expect_identical(Filter(length, unknown), stats::setNames(list(), character()))
})

core_forbidden <- c(
  "print", "cat", "message", "writeLines", "readLines", "file", "readRDS", "saveRDS", "read.csv", "write.csv", "unlink",
  "file.exists", "Sys.time", "Sys.Date", "date", "proc.time", "plot", "png", "dev.off", "system", "system2", "setwd",
  "download.file", "url", "sink", "Sys.getenv"
)

test_that("core uses no file, plot, print or clock function and no interface package", {
  core <- names(where)[layer_of(where) == "core"]
  expect_gt(length(core), 150)
  found <- Filter(length, lapply(used[intersect(core, names(used))], intersect, x = core_forbidden))
  expect_identical(found, stats::setNames(list(), character()))
  for (file in grep("^core-", names(sources), value = TRUE)) {
    lines <- grep("^#", sources[[file]], value = TRUE, invert = TRUE)
    packages <- unlist(regmatches(lines, gregexpr("[[:alnum:].]+(?=:::?[[:alnum:]`])", lines, perl = TRUE)))
    # One asks for the normal forms of Unicode.
    known <- c("rlang", "tibble", "tidyselect", "stats", "utils", if (file == "core-text.R") "stringi")
    expect_identical(setdiff(packages, known), character(), label = file)
  }
})

test_that("temporary paths, and what may be removed, are decided in one place each", {
  calls <- function(names) {
    sort(names(Filter(function(lines) any(grepl(sprintf("(^|[^_.[:alnum:]])(%s)[(]", names), lines)),
                      lapply(sources, grep, pattern = "^ *#", value = TRUE, invert = TRUE))))
  }
  expect_identical(calls("tempfile|tempdir"), c("source-encoding.R", "source-paths.R"))
  expect_identical(calls("unlink|file[.]remove"), c("brief-folder.R", "brief-store-folder.R", "source-paths.R"))
  expect_identical(calls("download[.]file|url|curl_fetch_[a-z]+"), character())
  recursive <- unlist(lapply(sources, grep, pattern = "unlink[(].*recursive", value = TRUE))
  expect_named(recursive, "source-paths.R")
})

test_that("a layer calls only those below it", {
  level <- stats::setNames(match(layer_of(where), layers), names(where))
  above <- Map(function(name, called) called[which(level[called] > level[[name]])], names(uses),
               lapply(uses, as.character))
  expect_identical(Filter(length, above), stats::setNames(list(), character()))
})

test_that("no files of a layer call each other in a ring", {
  files <- unique(where[layer_of(where) %in% layers])
  calls <- lapply(stats::setNames(nm = files), function(file) {
    setdiff(intersect(where[unlist(uses[names(where)[where == file]])], files), file)
  })
  reached <- calls
  repeat {
    further <- lapply(reached, function(files) unique(c(files, unlist(calls[files]))))
    if (identical(lengths(further), lengths(reached))) break
    reached <- further
  }
  rings <- Filter(function(file) file %in% reached[[file]], files)
  partners <- vapply(rings, function(file) {
    others <- Filter(function(other) file %in% reached[[other]], calls[[file]])
    through <- vapply(others, function(other) {
      names <- names(where)[where == file]
      paste(unique(intersect(unlist(uses[names]), names(where)[where == other])), collapse = ", ")
    }, "")
    paste(others, through, sep = ": ", collapse = "; ")
  }, "")
  expect_identical(paste(rings, partners, sep = " -> ")[seq_along(rings)], character())
})

