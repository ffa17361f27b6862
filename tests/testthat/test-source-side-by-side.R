test_that("jobs give what they return, and say what they say, in their order", {
  withr::local_options(hinterfeld.threads = 2)
  job <- function(i) function() {
    Sys.sleep(if (i == 1) 0.2 else 0)
    message("job ", i)
    if (i == 2) warning("two")
    i * 10
  }
  said <- character()
  done <- withCallingHandlers(side_by_side(lapply(1:4, job)), message = function(cnd) {
    said <<- c(said, conditionMessage(cnd))
    invokeRestart("muffleMessage")
  }, warning = function(cnd) {
    said <<- c(said, conditionMessage(cnd))
    invokeRestart("muffleWarning")
  })
  expect_identical(done, list(10, 20, 30, 40))
  expect_identical(said, c("job 1\n", "job 2\n", "two", "job 3\n", "job 4\n"))
  expect_identical(side_by_side(list()), list())
})

test_that("an error keeps its class, and a process that ends is one", {
  skip_on_os(c("windows", "mac"))
  withr::local_options(hinterfeld.threads = 2)
  good <- function() 1
  expect_error(side_by_side(list(good, function() stop_because("file", "No room."))), "No room",
               class = "hinterfeld_error_file")
  ended <- function() tools::pskill(Sys.getpid(), 9)
  expect_error(suppressWarnings(side_by_side(list(good, ended))), "ended early", class = "hinterfeld_error_run")
})

test_that("figures are the same, however many processes draw them", {
  figures <- list(figure_trend(totals(a_book(day = as.Date("2026-01-01") + 0:99), every = "month")),
                  figure_ranking(totals(a_book(product = c("a", "b"), revenue = 2:1), by = product)))
  drawn <- lapply(1:2, function(threads) {
    withr::local_options(hinterfeld.threads = threads)
    draw_side_by_side(lapply(figures, function(figure) function() figure_picture(figure)))
  })
  expect_identical(drawn[[1]], drawn[[2]])
})

test_that("what ends its process ends a copy of it", {
  skip_if_not(hinterfeld:::can_fork())
  expect_identical(hinterfeld:::in_a_copy(function() Sys.getpid() != 0), TRUE)
  expect_null(hinterfeld:::in_a_copy(function() tools::pskill(Sys.getpid(), tools::SIGKILL)))
  expect_error(hinterfeld:::in_a_copy(function() stop_because("file", "No room.")), "No room",
               class = "hinterfeld_error_file")
  expect_error(hinterfeld:::in_a_copy(function() 1, stop("meanwhile")), "meanwhile")
})

test_that("what is left of messages is freed before a copy is made, not by the copy", {
  server <- httpuv::startServer("127.0.0.1", httpuv::randomPort(), list(call = function(request) NULL))
  withr::defer(server$stop())
  freed_by <- withr::local_tempfile()
  reg.finalizer(new.env(), function(e) cat(Sys.getpid(), file = freed_by, append = TRUE))
  hinterfeld:::in_a_copy(function() gc())
  expect_identical(readLines(freed_by, warn = FALSE), as.character(Sys.getpid()))
})
