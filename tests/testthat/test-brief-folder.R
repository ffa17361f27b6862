test_that("an output folder that cannot be is an error", {
  path <- brief_folder()
  writeLines("in the way", file.path(dirname(path), "out"))
  expect_snapshot(error = TRUE, quiet(run_brief(path)),
                  transform = function(lines) gsub("\".*/out\"", "\"out\"", lines))
  expect_identical(readLines(file.path(dirname(path), "out")), "in the way")
})

test_that("only what the brief's last run has made is replaced; all else stops it or stays", {
  path <- brief_folder()
  out <- file.path(dirname(path), "out")
  failed <- function() {
    cnd <- tryCatch(quiet(run_brief(path, again = TRUE)), error = identity)
    conditionMessage(cnd$parent %||% cnd)
  }
  dir.create(out)
  # Somebody's record, and a record of another brief, are not ours.
  for (foreign in c("{\"made\": \"by hand\"}", "[1, 2]", "not JSON")) {
    writeLines(foreign, file.path(out, "run.json"))
    expect_match(failed(), "run.json")
    expect_identical(readLines(file.path(out, "run.json")), foreign)
  }
  unlink(file.path(out, "run.json"))
  quiet(run_brief(path))
  other <- file.path(dirname(path), "other.yaml")
  writeLines(sub("regions:", "places:", small_brief), other, sep = "")
  expect_error(quiet(run_brief(other)), class = "hinterfeld_error_run")
  expect_setequal(list.files(out), c("regions.csv", "run.json"))
  # Notes, links and pipes stay, and the folder keeps its rights.
  writeLines("notes", file.path(out, "notes.txt"))
  file.symlink("notes.txt", file.path(out, "link.txt"))
  processx::run("mkfifo", file.path(out, "pipe"))
  withr::defer(Sys.umask(umask))
  umask <- Sys.umask("022")
  Sys.chmod(out, "770", use_umask = FALSE)
  expect_no_warning(quiet(run_brief(path, again = TRUE)))
  expect_setequal(list.files(out), c("regions.csv", "run.json", "notes.txt", "link.txt", "pipe"))
  expect_identical(Sys.readlink(file.path(out, "link.txt")), "notes.txt")
  expect_identical(as.character(file.info(out)$mode), "770")
  expect_identical(list.files(dirname(out), "^[.]?out.+", all.files = TRUE), character())
  deeper <- file.path(dirname(path), "a", "b", "c")
  quiet(run_brief(path, into = deeper))
  expect_setequal(list.files(deeper), c("regions.csv", "run.json"))
})

test_that("a link to a folder stays a link", {
  path <- brief_folder()
  real <- withr::local_tempdir()
  out <- file.path(dirname(path), "out")
  file.symlink(real, out)
  expect_error(run_brief(path), "outside the brief's own folder", class = "hinterfeld_error_brief")
  expect_error(run_brief(brief_folder(sub("folder: out", "folder: x/out", small_brief)), anywhere = FALSE), NA)
  quiet(run_brief(path, anywhere = TRUE))
  expect_identical(Sys.readlink(out), real)
  expect_true(file.exists(file.path(real, "regions.csv")))
})

test_that("what a killed run left between the former folder and the new one comes back", {
  path <- brief_folder()
  quiet(run_brief(path))
  folder <- dirname(path)
  out <- file.path(folder, "out")
  left <- function() list.files(folder, "part", all.files = TRUE)
  # The former folder, in the place of the draft: notes, a link that leads nowhere, a folder, and what clashes.
  former <- file.path(folder, ".out.part-999999")
  file.rename(out, former)
  file.create(file.path(folder, ".out.lock"))
  writeLines("notes", file.path(former, "notes.txt"))
  file.symlink("nowhere", file.path(former, "link"))
  dir.create(file.path(former, "inner"))
  quiet(run_brief(path))
  expect_setequal(list.files(out), c("regions.csv", "run.json", "notes.txt", "link", "inner"))
  expect_length(left(), 0)
  dir.create(former)
  writeLines("older notes", file.path(former, "notes.txt"))
  expect_message(run_brief(path, again = TRUE), "notes.txt\" could not be moved")
  expect_identical(readLines(file.path(out, "notes.txt")), "notes")
  expect_identical(readLines(file.path(former, "notes.txt")), "older notes")
  # A link in that place is not ours, and what it leads to stays.
  unlink(former, recursive = TRUE)
  elsewhere <- withr::local_tempdir()
  file.create(file.path(elsewhere, c("kept.txt", ".unfinished")))
  file.symlink(elsewhere, former)
  quiet(run_brief(path, again = TRUE))
  expect_true(file.exists(file.path(elsewhere, "kept.txt")))
})

test_that("a folder that holds what a run needs is refused before anything is computed", {
  path <- brief_folder()
  withr::local_dir(dirname(path))
  dir.create("sub")
  for (into in c(".", "./", "sub/..", dirname(path), "/", "sub/../nowhere/..")) {
    before <- list.files(all.files = TRUE)
    expect_error(quiet(run_brief("job.yaml", into = into)), "cannot be the output folder",
                 class = "hinterfeld_error_file", label = into)
    expect_identical(list.files(all.files = TRUE), before)
  }
  expect_error(quiet(run_brief("job.yaml", into = "both", store = "both")), "holds the store")
  expect_error(quiet(run_brief("job.yaml", into = "both", store = "both/kept")), "holds the store")
})

test_that("two runs do not write to one folder, and a lock ends with its process", {
  path <- brief_folder()
  lock <- file.path(dirname(path), ".out.lock")
  holder <- processx::process$new(file.path(R.home("bin"), "Rscript"),
                                  c("-e", "l <- filelock::lock(commandArgs(TRUE)[1]); cat('held\n'); Sys.sleep(60)",
                                    lock), stdout = "|")
  holder$poll_io(20000)
  expect_error(quiet(run_brief(path)), "is unchanged|was not created", class = "hinterfeld_error_run")
  holder$kill()
  holder$wait()
  quiet(run_brief(path))
  expect_true(file.exists(file.path(dirname(path), "out", "regions.csv")))
  # Nothing stays behind, also of a run that fails or was killed.
  dir.create(file.path(dirname(path), ".out.part-999999"))
  writeLines("half", file.path(dirname(path), "sales.csv"))
  expect_error(quiet(run_brief(path)), class = "hinterfeld_error")
  writeLines(small_sales, file.path(dirname(path), "sales.csv"), sep = "")
  left <- function() list.files(dirname(path), all.files = TRUE, no.. = TRUE)
  for (again in c(TRUE, FALSE)) {
    quiet(run_brief(path, again = again))
    expect_setequal(left(), c("job.yaml", "out", "sales.csv"))
    dir.create(file.path(dirname(path), ".out.part-999999"))
    file.create(lock)
  }
})

test_that("a brief writes inside its own folder unless it is allowed more", {
  for (folder in c("..", "../elsewhere", "/tmp/elsewhere", "\".\"", "a/../..", "~/x")) {
    path <- brief_folder(sub("folder: out", sprintf("folder: %s", folder), small_brief))
    expect_error(run_brief(path), "is outside the brief's own folder", class = "hinterfeld_error_brief", label = folder)
  }
  path <- brief_folder(sub("folder: out", "folder: ../elsewhere", small_brief))
  withr::defer(unlink(file.path(dirname(dirname(path)), c("elsewhere", ".elsewhere.lock")), recursive = TRUE))
  quiet(run_brief(path, anywhere = TRUE))
  expect_true(file.exists(file.path(dirname(dirname(path)), "elsewhere", "regions.csv")))
})
