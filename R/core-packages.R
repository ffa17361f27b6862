# Packages that serve one capability only are asked for when it is wanted.

need_package <- function(package, purpose, call = caller_env()) {
  if (!has_package(package)) {
    wanted <- asked_version(package)
    version <- if (is.null(wanted)) "" else sprintf(" (%s or later)", wanted)
    stop_because("package", sprintf("The package %s%s is needed %s.", package, version, purpose),
                 i = sprintf("Install it: `install.packages(\"%s\")`.", package), package = package, call = call)
  }
}

has_package <- function(package, version = asked_version(package)) {
  rlang::is_installed(package, version = version)
}

# The least version that DESCRIPTION asks for; NULL if any version serves.
asked_version <- function(package) {
  asked <- gsub("[[:space:]]+", " ", utils::packageDescription("hinterfeld")$Suggests)
  asked <- strsplit(asked, ", ?")[[1]]
  asked <- grep(sprintf("^%s \\(>=", package), asked, value = TRUE)
  if (length(asked)) gsub("^.*>= *|[)].*$", "", asked)
}
