# Installs packages from CRAN into the first library that can be written.
packages <- commandArgs(TRUE)
library_path <- Sys.getenv("R_LIBS_USER")
if (file.access(.libPaths()[1], 2) == 0) {
  library_path <- .libPaths()[1]
} else {
  dir.create(library_path, showWarnings = FALSE, recursive = TRUE)
}
if (getOption("repos")[["CRAN"]] == "@CRAN@") utils::chooseCRANmirror(graphics = FALSE, ind = 1)
install.packages(packages, lib = library_path, Ncpus = parallel::detectCores())
