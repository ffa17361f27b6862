value_of <- function(text, ...) {
  rlang::eval_tidy(hinterfeld:::brief_quo(text), list(...))
}

test_that("what is allowed gives what R gives", {
  a <- c(1.5, NA, -3)
  s <- c("Paid ", NA, "open")
  d <- as.Date(c("2024-02-29", NA, "2026-11-23"))
  expect_identical(value_of("a * 2 - (1 + a) / 4 ^ 2 %% 3", a = a), a * 2 - (1 + a) / 4 ^ 2 %% 3)
  expect_identical(value_of("ifelse(is.na(a), 0, abs(round(a)))", a = a), ifelse(is.na(a), 0, abs(round(a))))
  expect_identical(value_of("!(a > 1 & a <= 2) | a %in% c(-3, 4)", a = a), !(a > 1 & a <= 2) | a %in% c(-3, 4))
  expect_identical(value_of("reads_as(s, 'paid')", s = s), c(TRUE, NA, FALSE))
  expect_identical(value_of("toupper(trimws(s)) == \"PAID\"", s = s), c(TRUE, NA, FALSE))
  expect_identical(value_of("year(d) * 10000 + month(d) * 100 + day_of_month(d)", d = d), c(20240229, NA, 20261123))
  expect_identical(value_of("weekday(d)", d = d), c(4L, NA, 1L))
  expect_identical(value_of("quarter(d)", d = d), c(1L, NA, 4L))
  expect_identical(value_of("d >= as.Date('2026-01-01')", d = d), c(FALSE, NA, TRUE))
  expect_identical(value_of("pmin(a, 0) + pmax(a, 0)", a = a), a)
  expect_identical(value_of(3), 3)
})

test_that("nothing else is reachable, however it is dressed", {
  marker <- withr::local_tempfile()
  touch <- sprintf("file.create('%s')", marker)
  attempts <- c(
    touch, sprintf("system('touch %s')", marker), sprintf("base::%s", touch), sprintf("(function() %s)()", touch),
    sprintf("{%s}", touch),
    sprintf("ifelse(TRUE, %s, 1)", touch), sprintf("!!%s", touch), sprintf("`file.create`('%s')", marker),
    sprintf("'file.create'('%s')", marker),
    sprintf("do.call('file.create', list('%s'))", marker), sprintf("eval(parse(text = \"%s\"))", touch), "a <- 1",
    "a = 1", "get('system')", "environment()",
    "Sys.getenv('HOME')", "Sys.time()", "library(utils)", "readLines('/etc/passwd')", "url('http://x.example')", "a$b",
    "a[['b']]", "a@b", "~ a", "function(x) x",
    "for (i in 1:9) a", "while (TRUE) a", "quit()", "stop('x')", "c(system)", "as.Date(Sys.Date())", "(\\(x) x)(1)",
    "a |> system()", "1; 2", "", "a +", "c()", "ifelse(a, , 1)",
    "hinterfeld::deliver(a, 'x')", "repeat a", "if (a) b", "nchar(environment)", "reads_as(a, Sys.getenv('HOME'))"
  )
  for (text in attempts) {
    read <- hinterfeld:::read_expression(text, columns = c("a", "b"))
    expect_false(is.null(read$problem), label = text)
  }
  expect_false(file.exists(marker))
})

test_that("even unchecked, an expression finds only the allowed functions", {
  place <- hinterfeld:::expression_place()
  expect_error(rlang::eval_tidy(rlang::new_quosure(quote(Sys.time()), place)), "could not find function")
  expect_identical(parent.env(place), emptyenv())
})

test_that("columns are columns: others are named, with the nearest", {
  expect_snapshot({
    mistakes_in("  revenue: revenue", "  revenue: revenu * 2")
    mistakes_in("status == \"paid\"", "grepl('a', status)")
    mistakes_in("status == \"paid\"", "'status =='")
  })
})
