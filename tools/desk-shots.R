# Pictures of the desk with the demo's data: its first inquiry, best sellers within regions, the lines behind a number.
# Rscript tools/desk-shots.R FOLDER
folder <- commandArgs(TRUE)[1]
`%||%` <- rlang::`%||%`
source("tests/testthat/helper-sales.R")
source("tests/testthat/helper-browser.R")
source("tests/testthat/helper-desk.R")
local({
  served <- serve_desk("--demo")
  page <- read_desk(served$address)
  picture <- function(name) {
    Sys.sleep(0.7)
    page$picture(file.path(folder, paste0(name, ".png")))
  }
  # What stands out comes when the reader rests.
  Sys.sleep(3)
  picture("desk")
  page$choose("every", "input[name=every][value='']")
  page$choose("by", "input[value=product]")
  page$choose("within", "input[value=region]")
  page$choose("rank", "input[value=best_sellers]")
  page$choose("share", "input[value=within]")
  page$press("\uE00C")
  page$script("document.querySelectorAll('#table td')[0].focus()")
  page$press("\uE007")
  picture("desk-best-sellers")
})
