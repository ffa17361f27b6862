test_that("the sentence says the inquiry, part by part", {
  desk <- a_desk()
  said <- function(...) {
    state <- valid_state(new_state(list(...), within = "region"), desk$facts)
    text <- gsub("<[^>]*>", "", html_text(sentence_tags(state, desk)[[1]]))
    htmltools::HTML(text)
  }
  step <- function(kind, ...) stats::setNames(list(list(...)), kind)
  expect_identical(
    as.character(said(by = list("region", "product"), every = list("month"), measures = list("revenue"),
                      keep = list("channel %in% \"Web\""), add = list(step("change", versus = "year_before"),
                                                                      step("share", within = list("region"))),
                      pick = step("best_sellers", n = 3L, within = list("region")))),
    paste("Revenue of completed sales, only channel Web by product within region, per month,",
          "against the year before, the best 3 of each region, as share of its region.")
  )
  expect_identical(
    as.character(said(by = list("region", "product"), every = list("year"), subtotals = TRUE,
                      measures = list(list(revenue_largest_day = list(largest_of = "revenue", per = "day")), "units"),
                      crosstab = list(rows = list("region", "product"), columns = list("year")))),
    paste("Revenue, largest day and units of completed sales by product within region, per year,",
          "with year across, with subtotals.")
  )
})

test_that("a heading of the data never becomes markup", {
  hostile <- "<img src=x onerror=alert(1)>"
  lines <- data.frame(day = as.Date("2026-03-02") + 0:3, product = c("\"><script>x</script>", "a", "b", "c"),
                      revenue = 1:4, x = c("</td>", "'", "\"", "&"))
  names(lines)[4] <- hostile
  desk <- new_desk(daybook(lines, "day", "product", revenue = revenue))
  state <- desk_state(by = list("product", hostile), measures = list("revenue"), keep = list(sprintf(
    "`%s` != \"<b>\"", hostile)))
  answer <- desk_answer(desk, state)
  all <- html_text(list(
    sentence_tags(state, desk), answer_table_tags(answer),
    aside_tags(desk, answer),
    row_menu(answer, desk, 1), ways_out_tags(answer, desk),
    values_choices(desk, hostile), lines_tags(lines_behind(answer$table, 1), "<b>"),
    lapply(names(desk_parts), choice_form, state = state, desk = desk),
    figure_tags(drawn_figure(answer_figure(answer), answer), answer)
  ))
  expect_false(grepl("<img src=x|<script|<b>|</td></td>", all))
  expect_match(all, "&lt;img src=x", fixed = TRUE)
})
