test_that("bash completes commands and the options of each", {
  script <- withr::local_tempfile()
  writeLines(run_cli("completion", "bash")$stdout, script)
  offered <- function(...) {
    words <- c("hinterfeld", ...)
    code <- sprintf("source %s; COMP_WORDS=(%s); COMP_CWORD=%d; _hinterfeld; echo ${COMPREPLY[@]}", script,
                    paste(words, collapse = " "), length(words) - 1L)
    strsplit(processx::run("bash", c("-c", code))$stdout, "[ \n]+")[[1]]
  }
  expect_identical(offered("comp"), c("compare", "completion"))
  expect_identical(offered("totals", "--de"), c("--decimals", "--decimals-shown"))
  # Every option that the help tells of.
  for (command in c("totals", "run", "desk", "check")) {
    told <- regmatches(help <- run_cli(command, "--help")$stdout, gregexpr("(?m)^  --[a-z-]+", help, perl = TRUE))[[1]]
    expect_identical(offered(command, "--"), trimws(told), info = command)
  }
  expect_match(run_cli("completion", "zsh")$stdout, "#compdef hinterfeld\nautoload -U +X bashcompinit && bashcompinit",
               fixed = TRUE)
  expect_match(run_cli("completion", "fish")$stderr, "SHELL is bash or zsh, not \"fish\"")
})

test_that("the manual page has every command, and no line of it is an order by chance", {
  page <- strsplit(run_cli("manual")$stdout, "\n")[[1]]
  expect_true(all(sprintf(".SS %s", c("demo", "totals", "findings", "manual")) %in% page))
  orders <- c(".TH", ".SH", ".B", ".SS", ".nf", ".fi")
  expect_true(all(sub(" .*", "", grep("^[.']", page, value = TRUE)) %in% orders))
  expect_identical(sum(page == ".nf"), sum(page == ".fi"))
  expect_false(any(grepl("(^|[^\\\\])-", page[-1])))
})
