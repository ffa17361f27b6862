test_that("a change is heard of long before the time is over, and nothing is waited for when it came before", {
  folder <- withr::local_tempdir()
  file <- file.path(folder, "a.csv")
  writeLines("a", file)
  for (paths in list(folder, file)) {
    notice <- notice_of(paths)
    expect_true(notice$told)
    later::later(function() writeLines("b", file), 0.2)
    expect_lt(system.time(notice$wait(30))[["elapsed"]], 15)
    writeLines("c", file)
    Sys.sleep(0.5)
    expect_lt(system.time(notice$wait(30))[["elapsed"]], 15)
    notice$stop()
  }
})

test_that("where the system does not tell, and where nothing happens, the time is waited", {
  for (notice in list(notice_of(character()), notice_of(file.path(tempdir(), "nowhere")),
                      notice_of(withr::local_tempdir()))) {
    expect_gte(system.time(notice$wait(0.2))[["elapsed"]], 0.15)
    notice$stop()
  }
  expect_false(notice_of(file.path(tempdir(), "nowhere"))$told)
})

test_that("what comes late for a watch that was stopped and forgotten finds it", {
  folder <- withr::local_tempdir()
  held <- function() length(hinterfeld:::held_watches$all)
  before <- held()
  for (i in 1:8) {
    notice <- notice_of(folder)
    for (k in 1:5) writeLines("x", file.path(folder, "a.csv"))
    notice$stop()
    rm(notice)
    gc()
    Sys.sleep(0.05)
    expect_no_error(later::run_now(0.1))
  }
  expect_gte(held(), before + 8)
  stopped <- lapply(hinterfeld:::held_watches$all, function(one) replace(one, "stopped", proc.time()[["elapsed"]] - 61))
  assign("all", stopped, hinterfeld:::held_watches)
  notice_of(folder)$stop()
  expect_identical(held(), 1L)
})
