# Formulas over random lines against whole-number arithmetic: revenue, a column and a measure of each formula.

# Each formula with the same in whole numbers: the minor units times `scale`, before they are rounded. `of` is what the
# result is divided by, for quotients. `c`, `p`, `r`, `d` and `w` are the columns of random_amounts() in minor units.
decimal_formulas <- list(
  list(r = quote(q * price), whole = function(x) x$q * x$p, scale = 1),
  list(r = quote(q * price * (1 - discount)), whole = function(x) x$q * x$p * (100 - x$d), scale = 100),
  list(r = quote(kg * (price - rebate)), whole = function(x) x$w * (x$p - x$r), scale = 1000),
  list(r = quote(price - cost), whole = function(x) x$p * 10 - x$c, scale = 10),
  list(r = quote(q * (price - cost) * 0.825), whole = function(x) x$q * (x$p * 10 - x$c) * 825, scale = 10000),
  list(r = quote(ifelse(currency == "EUR", 0.85, 1) * price),
       whole = function(x) ifelse(x$currency == "EUR", 85, 100) * x$p, scale = 100),
  list(r = quote(ifelse(q > 3, price * kg, -rebate)),
       whole = function(x) ifelse(x$q > 3, x$p * x$w, -x$r * 1000), scale = 1000),
  list(r = quote(-price * 1.075 + rebate), whole = function(x) -x$p * 1075 + x$r * 1000, scale = 1000),
  list(r = quote(pmax(price, rebate) - pmin(cost, 12.5)),
       whole = function(x) pmax(x$p, x$r) * 10 - pmin(x$c, 12500), scale = 10),
  list(r = quote(abs(price - rebate) * discount^2), whole = function(x) abs(x$p - x$r) * x$d * x$d, scale = 10000),
  list(r = quote(price / q), whole = function(x) x$p, scale = 1, of = function(x) x$q),
  list(r = quote(round(price * kg, 1) + rebate / 8),
       whole = function(x) halves_up(x$p * x$w, 10000) * 80 + x$r, scale = 8)
)

# Whole numbers below 2^53, rounded to the nearest, halves away from 0.
halves_up <- function(number, by) sign(number) * ((2 * abs(number) + by) %/% (2 * by))

# The same, halves to the even one.
halves_even <- function(number, by) {
  size <- abs(number)
  down <- size %/% by
  twice <- 2 * (size %% by)
  sign(number) * (down + (twice > by | twice == by & down %% 2 == 1))
}

# Many of them make halves.
random_amounts <- function(n) {
  half <- function(most) sample(c(seq_len(most), 5 * seq_len(most %/% 5)), n, TRUE)
  list(q = sample(9, n, TRUE), p = half(99999), r = half(9999), d = sample(0:60, n, TRUE), w = 5 * half(2000),
       c = half(99999), currency = sample(c("EUR", "GBP"), n, TRUE))
}

amount_lines <- function(x) {
  data.frame(day = as.Date("2026-01-05"), product = "a", one = 1, q = x$q, price = x$p / 100, rebate = x$r / 100,
             discount = x$d / 100, kg = x$w / 1000, cost = x$c / 1000, currency = x$currency)
}

# How many values of some random lines are wrong, by formula.
wrong_decimals <- function(n) {
  x <- random_amounts(n)
  lines <- amount_lines(x)
  plain <- daybook(lines, day, one, product)
  vapply(decimal_formulas, function(formula) {
    of <- if (is.null(formula$of)) 1 else formula$of(x)
    by <- formula$scale * of
    rounding <- sample(c("half_up", "half_even"), 1)
    # What is rounded inside is rounded as the daybook says.
    if (identical(formula$r[[1]], as.symbol("+")) && rlang::is_call(formula$r[[2]], "round")) rounding <- "half_up"
    right <- (if (rounding == "half_up") halves_up else halves_even)(formula$whole(x), by) / 100
    book <- rlang::inject(daybook(lines, day, !!formula$r, product, rounding = rounding))
    column <- rlang::inject(extend_lines(daybook(lines, day, one, product, rounding = rounding), m = !!formula$r,
                                         decimals = 2))
    wrong <- sum(lines_of(book)$revenue != right) + sum(lines_of(column)$m != right)
    # A measure keeps the decimals of its parts, so its total is not rounded at all, unless it divides.
    if (is.null(formula$of) && formula$scale * 100 <= 1e6) {
      sum <- rlang::inject(totals(plain, measures = list(m = sum_of(!!formula$r))))$m
      exact <- sum(formula$whole(x)) / (formula$scale * 100)
      wrong <- wrong + (abs(sum - exact) > 1e-9 * abs(exact))
      wrong <- wrong + sum(!reconcile(rlang::inject(totals(plain, measures = list(m = sum_of(!!formula$r)))))$matches)
    }
    wrong
  }, 0)
}
