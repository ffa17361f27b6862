# What R CMD check asks of the help pages of the installed package, in one process: their form, what they document and
# what they leave out, and every example. Prints what is wrong.
pages <- tools::Rd_db("hinterfeld")
looks <- list(tools::undoc, tools::codoc, tools::checkDocFiles, tools::checkDocStyle)
found <- unlist(c(lapply(pages, function(page) format(tools::checkRd(page))),
                  lapply(looks, function(look) format(look("hinterfeld")))))
cat(found, sep = "\n")

library(hinterfeld)
grDevices::pdf(NULL)
# Examples print; only what stops is said.
run_example <- function(name) {
  code <- tempfile(fileext = ".R")
  tools::Rd2ex(pages[[name]], code, commentDonttest = TRUE)
  if (!file.exists(code)) {
    return(TRUE)
  }
  sink(nullfile())
  on.exit(sink())
  set.seed(1)
  tryCatch({
    suppressMessages(source(code, local = new.env(parent = globalenv()), print.eval = TRUE))
    TRUE
  }, error = function(cnd) {
    message("The example of ", name, " stops: ", conditionMessage(cnd))
    FALSE
  })
}
ran <- vapply(names(pages), run_example, NA)
quit(save = "no", status = if (length(found) || !all(ran)) 1 else 0)
