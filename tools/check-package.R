# What R CMD check asks of the help pages of the installed package, in one process: their form, what they document and
# what they leave out. Prints what is wrong. Their examples are run by a test.
pages <- tools::Rd_db("hinterfeld")
looks <- list(tools::undoc, tools::codoc, tools::checkDocFiles, tools::checkDocStyle)
found <- unlist(c(lapply(pages, function(page) format(tools::checkRd(page))),
                  lapply(looks, function(look) format(look("hinterfeld")))))
cat(found, sep = "\n")
quit(save = "no", status = if (length(found)) 1 else 0)
