# Prints the packages that DESCRIPTION asks for and this library lacks, with their versions in mind.
what <- commandArgs(TRUE)[1]
description <- read.dcf("DESCRIPTION")[1, ]
packages <- function(fields) trimws(unlist(strsplit(description[fields], ",")))
suggested <- packages("Suggests")
# The demo needs some of those that are suggested.
if (what == "demo") suggested <- suggested[sub(" .*$", "", suggested) %in% packages("Config/Needs/demo")]
asked <- c(packages(c("Imports", "LinkingTo")), suggested)
name <- sub("[ (].*$", "", asked)
version <- ifelse(grepl(">=", asked), gsub("^.*>= *|[)].*$", "", asked), "0")
base <- rownames(installed.packages(priority = "base"))
lacks <- function(name, version) {
  !name %in% base && (!nzchar(system.file(package = name)) || utils::packageVersion(name) < version)
}
cat(unique(name[mapply(lacks, name, version)]))
