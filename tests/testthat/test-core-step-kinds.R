test_that("the registry of steps has the defaults of its functions", {
  for (kind in hinterfeld:::step_kinds) {
    of_verb <- formals(getExportedValue("hinterfeld", kind$verb))
    for (name in setdiff(intersect(names(kind$arguments), names(of_verb)), c("period", "within", "of"))) {
      default <- tryCatch(eval(of_verb[[name]]), error = function(cnd) NULL)
      # Of a choice the first is meant.
      if (!is.null(kind$arguments[[name]]$choices)) default <- default[1]
      expect_equal(kind$arguments[[name]]$default, default, info = paste(kind$verb, name))
    }
  }
})
