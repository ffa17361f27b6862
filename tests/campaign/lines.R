# Random daybooks: lines with look-alike names, blanks, halves, negatives and days at the edges of periods, as the
# daybook gets them and, beside that, in whole numbers for SQLite.

look_alikes <- c(
  "Sieve", "Sieve fine", "fine 10 cm", "10 cm", "Total", "Total of all", "not given", "not given, blank", "others (2)",
  "blank", "region",
  "product", "level", "revenue", "a", "A", "a b", "a  b", "a / b", "b", "9", "10", "100", "1.10", "1.1", "NA", "TRUE",
  "Gl\u00fchofen",
  "Glu\u0308hofen", "\u00c9tabli", "z", "2024", "2024-01", "Jan", "-1", "x|y", "it's", "\"quoted\"",
  "1234567890123456001", "1234567890123456002"
)

pick <- function(x) x[[sample.int(length(x), 1)]]
some <- function(x, n) x[sort(sample.int(length(x), min(n, length(x))))]
chance <- function(p) stats::runif(1) < p

random_calendar <- function() {
  calendar <- pick(list(
    quote(sales_calendar()), quote(sales_calendar()), quote(sales_calendar(year_starts = "07-01")),
    quote(sales_calendar(year_starts = "04-06")),
    quote(sales_calendar(week_starts = "sunday")),
    quote(sales_calendar(year_starts = "02-01", week_starts = "sunday", weeks = "445")),
    quote(sales_calendar(weeks = "445"))
  ))
  if (chance(0.7)) return(calendar)
  calendar$closed <- c(some(c("saturday", "sunday", "tuesday"), sample(1:2, 1)),
                       format(sample(as.Date("2023-12-01") + 0:700, sample(c(0, 5, 60), 1))))
  calendar
}

# Days in runs and gaps, around a new year or a leap day, or anywhere in some years.
random_days <- function(n) {
  from <- pick(as.Date(c("2023-11-20", "2024-02-20", "2024-12-20", "2022-06-30", "2020-01-01")))
  from + sort(sample(0:pick(c(3, 40, 400, 900)), n, replace = TRUE))
}

random_texts <- function(n, blanks = 0.1) {
  x <- sample(some(look_alikes, sample(2:8, 1)), n, replace = TRUE)
  replace(x, stats::runif(n) < blanks, pick(c(NA, "", "  ")))
}

# A daybook's lines and how it is made. `price` has `places$price` decimals, `cost` has `places$cost`.
random_lines <- function() {
  n <- sample(c(1, 2, 5, 20, 60), 1, prob = c(1, 1, 2, 6, 6))
  places <- list(price = sample(0:4, 1), cost = sample(0:3, 1))
  largest <- pick(c(5, 200, 99999, if (chance(0.15)) 2e12))
  price <- floor(stats::runif(n, -largest / 5, largest)) * pick(c(1, 1, 5, 50))
  lines <- data.frame(
    day = random_days(n), product = random_texts(n, 0), region = random_texts(n), place = random_texts(n),
    ticket = random_texts(n, 0.2),
    price_whole = replace(price, stats::runif(n) < 0.03, NA),
    pieces = as.double(sample(c(1:9, 0, -2), n, replace = TRUE)),
    cost_whole = replace(as.double(sample(c(400, 425, 37, 0), n, replace = TRUE)), stats::runif(n) < 0.05, NA),
    shelf = sample(c(100, 9, 10, 1.5, -3, NA), n, replace = TRUE)
  )
  # Whole packs only: then no line is cheaper than the smallest coin.
  if (largest > 1e6) lines$pieces <- 1
  if (is.na(lines$price_whole[1])) lines$price_whole[1] <- 7
  list(
    lines = lines, places = places, decimals = sample(0:4, 1, prob = c(1, 1, 6, 1, 1)),
    rounding = pick(c("half_up", "half_even")),
    per_piece = chance(0.5), calendar = random_calendar(),
    covers = if (chance(0.15)) range(lines$day) + c(-sample(c(0, 3, 40), 1), sample(c(0, 3, 40), 1))
  )
}

# The lines as an analyst has them.
given_lines <- function(made) {
  lines <- made$lines
  data.frame(
    lines[c("day", "product", "region", "place", "ticket", "pieces", "shelf")],
    price = lines$price_whole / 10^made$places$price,
    cost = lines$cost_whole / 10^made$places$cost
  )
}

daybook_call <- function(made) {
  revenue <- if (made$per_piece) quote(pieces * price) else quote(price)
  bquote(daybook(lines, day, .(revenue), product, units = pieces, order = ticket, decimals = .(made$decimals),
                 rounding = .(made$rounding), covers = .(if (!is.null(made$covers)) format(made$covers)),
                 calendar = .(made$calendar), on_bad = "set_aside"))
}

# A data frame as a table of the database; much quicker than DBI's own way, which matters for thousands of small ones.
put_table <- function(db, name, table, whole = character()) {
  type <- ifelse(names(table) %in% whole, "INTEGER", ifelse(vapply(table, is.numeric, NA), "REAL", "TEXT"))
  DBI::dbExecute(db, sprintf("DROP TABLE IF EXISTS temp.%s", name))
  DBI::dbExecute(db, sprintf("CREATE TEMP TABLE %s (%s)", name,
                             paste(sprintf("\"%s\" %s", names(table), type), collapse = ", ")))
  if (nrow(table)) {
    DBI::dbExecute(db, sprintf("INSERT INTO %s VALUES (%s)", name, paste(rep("?", ncol(table)), collapse = ", ")),
                   params = unname(as.list(table)))
  }
}

# The same lines in SQLite, in whole numbers; a revenue is rounded once, by integer arithmetic.
lines_database <- function(made) {
  db <- DBI::dbConnect(RSQLite::SQLite(), ":memory:", bigint = "numeric")
  lines <- made$lines
  blank <- function(x) replace(x, !is.na(x) & !nzchar(trimws(x)), NA)
  texts <- c("product", "region", "place", "ticket")
  lines[texts] <- lapply(lines[texts], blank)
  names(lines)[names(lines) == "ticket"] <- "order_"
  lines$day <- format(lines$day)
  put_table(db, "given", lines, whole = c("price_whole", "pieces", "cost_whole"))
  amount <- if (made$per_piece) "price_whole * pieces" else "price_whole"
  up <- 10^max(0, made$decimals - made$places$price)
  down <- 10^max(0, made$places$price - made$decimals)
  half <- if (made$rounding == "half_up") "1" else sprintf("((abs(x) / %d) %% 2)", down)
  rounded <- if (down == 1) {
    sprintf("x * %d", up)
  } else {
    sprintf("sign(x) * (abs(x) / %1$d + CASE WHEN 2 * (abs(x) %% %1$d) > %1$d THEN 1 WHEN 2 * (abs(x) %% %1$d) = %1$d
             THEN %2$s ELSE 0 END)", down, half)
  }
  DBI::dbExecute(db, sprintf("CREATE TABLE lines AS SELECT day, product, region, place, order_, pieces, cost_whole,
                        shelf, %s AS revenue FROM (SELECT *, %s AS x FROM given) WHERE x IS NOT NULL AND product IS
                        NOT NULL",
                             rounded, amount))
  # Amounts beyond what is kept exactly are set aside.
  DBI::dbExecute(db, sprintf("DELETE FROM lines WHERE abs(revenue) > %.0f", 2^51))
  db
}
