# The command line as its users meet it: a process of its own, which takes its time to start.
run_process <- function(..., env = character()) {
  processx::run(
    file.path(R.home("bin"), "Rscript"), c(system.file("cli", "hinterfeld", package = "hinterfeld"), ...),
    error_on_status = FALSE, encoding = "UTF-8",
    env = c("current", R_LIBS = paste(.libPaths(), collapse = ":"), replace(c(LC_ALL = "C.UTF-8"), names(env), env))
  )
}

# The same without a process: what goes where, and the exit code.
run_cli <- function(...) {
  withr::local_options(cli.unicode = TRUE)
  said <- withr::local_tempfile()
  to <- file(said, "wb")
  sink(to, type = "message")
  printed <- tryCatch(
    utils::capture.output(status <- hinterfeld:::cli_main(c(...))),
    finally = {
      sink(type = "message")
      close(to)
    }
  )
  text <- function(lines) if (length(lines)) paste0(paste(lines, collapse = "\n"), "\n") else ""
  list(status = status, stdout = text(printed), stderr = text(readLines(said, encoding = "UTF-8")))
}

# The demo as its command runs it, once: what came back, and the folder of its files.
demo_run <- function() {
  made_once("demo", {
    out <- file.path(tempdir(), "demo")
    c(run_cli("demo", "--out", out), out = out)
  })
}

# The demo's files with every eighth line, and the orders of these, where that is enough.
some_files <- function() {
  made_once("some files", {
    folder <- file.path(tempdir(), "some")
    dir.create(folder)
    file.copy(demo_files(), folder)
    files <- stats::setNames(file.path(folder, basename(demo_files())), names(demo_files()))
    lines <- readLines(files[["order_lines"]])
    lines <- lines[c(1, seq(2, length(lines), by = 8))]
    orders <- readLines(files[["orders"]])
    field <- function(lines, k) vapply(strsplit(lines, ",", fixed = TRUE), function(fields) fields[k], "")
    order_id <- match("order_id", strsplit(lines[1], ",")[[1]])
    writeLines(lines, files[["order_lines"]])
    writeLines(orders[field(orders, 1) %in% field(lines, order_id)], files[["orders"]])
    files
  })
}
