test_that("help and version are results", {
  help <- run_cli("--help")
  expect_identical(help$status, 0L)
  expect_snapshot(cat(help$stdout))
  expect_identical(run_process("--version")$stdout, sprintf("hinterfeld %s\n", packageVersion("hinterfeld")))
})

test_that("wrong use is told on standard error with exit code 2", {
  for (args in list("dmeo", c("demo", "--nonsense"))) {
    wrong <- do.call(run_cli, as.list(args))
    expect_identical(wrong$status, 2L)
    expect_identical(wrong$stdout, "")
    expect_snapshot(cat(wrong$stderr))
  }
})

test_that("a process ends with the command's exit code", {
  expect_identical(run_process("totals", "nowhere.csv")$status, 1L)
  expect_identical(run_process("totals")$status, 2L)
})

test_that("the command runs no code of the folder it is started in", {
  folder <- withr::local_tempdir()
  writeLines("file.create('profile ran')", file.path(folder, ".Rprofile"))
  writeLines("R_DEFAULT_PACKAGES=none\nHINTERFELD_ENVIRON=ran", file.path(folder, ".Renviron"))
  # As its first line says, which is how a shell starts it.
  run <- processx::run(system.file("cli", "hinterfeld", package = "hinterfeld"), "--version", wd = folder,
                       error_on_status = FALSE,
                       env = c("current", R_LIBS = paste(.libPaths(), collapse = ":")))
  expect_identical(run$status, 0L)
  expect_identical(list.files(folder), character())
})

test_that("help of a command is asked for in either order", {
  expect_identical(run_cli("help", "check")$stdout, run_cli("check", "--help")$stdout)
  expect_match(run_cli("help", "chek")$stderr, "Did you mean \"check\"?", fixed = TRUE)
})

test_that("a mistyped option is answered with the one that was meant, and values are checked in one place", {
  said <- function(...) sub("\nSee .*$", "", run_cli(...)$stderr)
  expect_snapshot({
    cat(said("totals", "lines.csv", "--evry", "month"))
    cat(said("totals", "lines.csv", "--share=yes"))
    cat(said("totals", "lines.csv", "--by"))
    cat(said("desk", "--demo", "--port", "3.5"))
    cat(said("run", "monthly.yaml", "--workers", "0"))
    cat(said("set-aside", "monthly.yaml", "--rows", "few"))
    cat(said("run", "monthly.yaml", "--keep", "kept"))
  })
})

test_that("what follows two hyphens is a file", {
  withr::local_dir(withr::local_tempdir())
  writeLines(c("day,product,revenue", "2025-01-01,a,5"), "-x.csv")
  expect_match(run_cli("totals", "--by", "product", "--", "-x.csv")$stdout, "a +5.00")
})
