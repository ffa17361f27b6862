# The command line as its users meet it: a process of its own.
run_cli <- function(...) {
  processx::run(
    file.path(R.home("bin"), "Rscript"), c(system.file("cli", "hinterfeld", package = "hinterfeld"), ...),
    error_on_status = FALSE, env = c("current", R_LIBS = paste(.libPaths(), collapse = ":"), LC_ALL = "C.UTF-8")
  )
}
