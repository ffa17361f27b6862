# Prints the packages that DESCRIPTION asks for and this library lacks, with their versions in mind.
what <- commandArgs(TRUE)[1]
fields <- c("Imports", "LinkingTo", if (what == "test") "Suggests")
asked <- read.dcf("DESCRIPTION", fields)[1, ]
asked <- trimws(unlist(strsplit(asked[!is.na(asked)], ",")))
name <- sub("[ (].*$", "", asked)
version <- ifelse(grepl(">=", asked), gsub("^.*>= *|[)].*$", "", asked), "0")
base <- rownames(installed.packages(priority = "base"))
lacks <- function(name, version) {
  !name %in% base && (!nzchar(system.file(package = name)) || utils::packageVersion(name) < version)
}
cat(unique(name[mapply(lacks, name, version)]))
