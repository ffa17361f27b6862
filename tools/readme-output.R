# Puts the real output of the README's first R block into the README.
readme <- readLines("README.md")
fences <- grep("^```", readme)
start <- grep("^```r$", readme)[1]
code <- readme[(start + 1):(fences[fences > start][1] - 1)]
script <- tempfile(fileext = ".R")
writeLines(c("options(cli.width = 90)", code), script)
output <- system2(file.path(R.home("bin"), "Rscript"), script, stdout = TRUE, stderr = TRUE)
after <- fences[fences > start][2:3]
writeLines(c(readme[seq_len(after[1])], output, readme[after[2]:length(readme)]), "README.md")
