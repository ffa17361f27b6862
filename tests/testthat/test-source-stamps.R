test_that("a stamp moves with whatever happens to a file, and a hash with what it holds", {
  path <- withr::local_tempfile(lines = "a,b")
  before <- file_stamps(path)
  expect_identical(file_stamps(c(path, file.path(path, "none"))), c(before, ""))
  time <- file.mtime(path)
  # Another file of the same size and time in its place.
  other <- withr::local_tempfile(lines = "a,c", tmpdir = dirname(path))
  Sys.setFileTime(other, time)
  known <- new.env()
  first <- file_hashes(path, known)
  file.rename(other, path)
  expect_false(file_stamps(path) == before)
  expect_false(file_hashes(path, known) == first)
  expect_identical(file_hashes(path, known), rlang::hash_file(path))
})

test_that("a file whose stamp has not moved is not read again, and what is no file is refused", {
  path <- withr::local_tempfile(lines = "a,b")
  known <- new.env()
  file_hashes(path, known)
  assign(normalizePath(path), list(stamp = file_stamps(path), hash = "known"), known)
  expect_identical(file_hashes(path, known), "known")
  skip_on_os("windows")
  expect_error(file_hashes("/dev/zero", known), class = "hinterfeld_error_file")
})

test_that("a file that is written to is waited for, and one that is written to for ever is an error", {
  path <- withr::local_tempfile(lines = "a,b")
  writer <- processx::process$new("sh", c("-c", "for i in 1 2 3 4 5 6; do echo 1,2 >> \"$1\"; sleep 0.2; done", "sh",
                                          path))
  while (length(readLines(path)) < 2) Sys.sleep(0.05)
  wait_for_rest(path, seconds = 1)
  expect_length(readLines(path), 7)
  writer$wait()
  writer <- processx::process$new("sh", c("-c", "while true; do echo 1,2 >> \"$1\"; done", "sh", path))
  withr::defer(writer$kill())
  Sys.sleep(0.2)
  expect_error(wait_for_rest(path, seconds = 0.1, most = 3), "is still written to", class = "hinterfeld_error_file")
})

test_that("a file's SHA-256 is that of FIPS 180-4, whatever its size, and the file stays as it is", {
  path <- withr::local_tempfile()
  writeBin(charToRaw("abc"), path)
  of_abc <- "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad"
  expect_identical(sha256_file(path), of_abc)
  writeBin(raw(), path)
  expect_identical(sha256_file(path), "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855")
  writeBin(rep(as.raw(0x61), 1e6), path)
  expect_identical(sha256_file(path), "cdc76e5c9914fb9281a1c7e284d73e67f1809a48a497200e046d39ccc7112cd0")
})
