# A part of the campaign: tools/campaign plays any number of cases.
campaign_folder <- test_path("..", "campaign")
source(file.path(campaign_folder, "campaign.R"), local = TRUE)

test_that("random chains on random daybooks give SQLite's numbers, whatever is varied", {
  found <- run_campaign(1010L, rounds(10L, 60L), most = 1)
  told <- vapply(found$failed, function(failure) paste(c(failure$small, failure$calls), collapse = "\n"), "")
  expect_identical(told, character())
  expect_true(all(c("add_change", "add_pareto", "add_rank", "add_share", "add_running_total", "add_moving",
                    "best_sellers", "crosstab", "deliver",
                    "reconcile", "in_words", "keep_lines", "leave_out", "totals") %in% names(found$counts)))
})

test_that("a failure is found, made small and told as calls", {
  case <- random_case(1000)
  while (nrow(case$made$lines) < 20 || length(case$chain) < 3) case <- random_case(case$seed + 1)
  wrong <- function(case) if (nrow(case$made$lines) > 2) sprintf("`m`, row %d: ours 1", nrow(case$made$lines))
  small <- shrink(case, wrong(case), wrong)
  expect_identical(nrow(small$made$lines), 3L)
  expect_identical(vapply(small$chain, function(move) move$kind, ""), "totals")
  calls <- calls_of(small)
  place <- rlang::env(asNamespace("hinterfeld"))
  for (call in calls) quiet_eval(parse(text = call)[[1]], place)
  expect_s3_class(place$t, "hinterfeld_totals")
})
