library(testthat)
library(hinterfeld)

test_check("hinterfeld")
