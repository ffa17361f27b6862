# Makes the Kilnmoor Supply demo files under inst/extdata/kilnmoor/.
# Run from the package's root: Rscript data-raw/kilnmoor.R
# The result depends on the seed alone; every planted difficulty is listed in ?kilnmoor.

suppressWarnings(RNGversion("4.2.0"))
set.seed(8137)

out <- file.path("inst", "extdata", "kilnmoor")
first_day <- as.Date("2023-01-01")
last_day <- as.Date("2026-09-17")
days <- seq(first_day, last_day, by = "day")

write_csv <- function(x, file) {
  x[] <- lapply(x, function(column) replace(column, column %in% "", NA))
  readr::write_csv(x, file.path(out, file), na = "")
}

# Products: code, name, category, sub-category, list price of 2023, popularity, launch, end -------

catalogue <- utils::read.csv("data-raw/kilnmoor-products.csv", na.strings = "", check.names = FALSE)
products <- data.frame(
  product_id = sprintf("K%03d", seq_len(nrow(catalogue))),
  catalogue[c("product", "category", "subcategory")],
  unit_cost = sprintf("%.2f", round(catalogue$list_price * 0.61, 2)),
  launched = catalogue$launched,
  discontinued = catalogue$discontinued
)
write_csv(products, "products.csv")

# Towns: two regions have a town of the same name, so the key is region and town ------------------

towns <- utils::read.csv("data-raw/kilnmoor-towns.csv")
write_csv(towns[c("region", "town", "longitude", "latitude")], "towns.csv")

# Targets: a shop in the Outer isles was planned and has not opened.
targets <- data.frame(region = c("Saltcoast", "Vale", "Northmoor", "Highfen", "Outer isles"), period = 2026,
                      target = 1000 * c(310, 280, 235, 240, 12))
write_csv(targets, "targets.csv")

# Closed days: two every December.
closed <- as.Date(sprintf("%d-12-%d", rep(2023:2026, each = 2), 25:26))
write_csv(data.frame(day = closed, why = "Midwinter"), "closed_days.csv")

angle <- seq(0, 2 * pi, length.out = 97)
reach <- 1 + 0.11 * sin(2 * angle + 0.6) + 0.07 * sin(5 * angle) + 0.03 * sin(11 * angle + 1)
ring <- sprintf("[%.4f,%.4f]", -31.02 + 0.62 * reach * cos(angle), 47.90 + 0.36 * reach * sin(angle))
ring[length(ring)] <- ring[1]
writeLines(paste0(
  '{"type":"FeatureCollection","features":[{"type":"Feature","properties":{"name":"Kilnmoor"},',
  '"geometry":{"type":"Polygon","coordinates":[[', paste(ring, collapse = ","), "]]}}]}"
), file.path(out, "island.geojson"))

# Orders: seasons, a weekly rhythm, slow growth, none on closed days ------------------------------

season <- c(0.86, 0.92, 1.06, 1.10, 1.04, 0.93, 0.80, 0.84, 1.13, 1.22, 1.25, 0.85)
rhythm <- c(1.05, 0.98, 1.00, 1.12, 1.38, 0.92, 0.16) # Monday to Sunday
calendar <- as.POSIXlt(days)
weight <- season[calendar$mon + 1] * rhythm[(calendar$wday + 6) %% 7 + 1] *
  1.06^(as.numeric(days - first_day) / 365.25)
weight[days %in% closed] <- 0

n <- 25000
town <- sample(nrow(towns), n, replace = TRUE, prob = towns$weight)
order_day <- sort(sample(days, n, replace = TRUE, prob = weight))
channel <- sample(c("Counter", "Van round", "Web"), n, replace = TRUE, prob = c(0.44, 0.31, 0.25))
orders <- data.frame(
  order_id = sprintf("A%05d", seq_len(n)),
  order_day = format(order_day),
  status = ifelse(channel == "Counter", "collected", "delivered"),
  channel = channel,
  customer_id = sprintf("C%04d", (town - 1) * 60 + ceiling(60 * stats::rbeta(n, 1, 2.2))),
  region = towns$region[town],
  town = towns$town[town]
)
fate <- sample(c("done", "cancelled", "open", "blank"), n, replace = TRUE, prob = c(0.945, 0.04, 0.0125, 0.0025))
fate[order_day < last_day - 45 & fate == "open"] <- "cancelled"
orders$status[fate == "cancelled"] <- "cancelled"
orders$status[fate == "open"] <- "open"
orders$status[fate == "blank"] <- ""

# Lines: what is bought depends on the product's popularity, the region's taste and the dates -----

per_order <- 1 + stats::rpois(n, 1.4)
row <- rep(seq_len(n), per_order)
taste <- vapply(sort(unique(towns$region)), function(region) exp(stats::rnorm(nrow(catalogue), 0, 0.35)),
                numeric(nrow(catalogue)))
trend <- stats::rnorm(nrow(catalogue), 0, 0.12)
from <- as.Date(ifelse(is.na(catalogue$launched), format(first_day), catalogue$launched))
until <- as.Date(ifelse(is.na(catalogue$discontinued), format(last_day), catalogue$discontinued))

# "Tall shelf prop" never sells in Saltcoast.
taste[catalogue$product == "Tall shelf prop 300 mm", "Saltcoast"] <- 0

item <- integer(length(row))
half <- paste(format(order_day, "%Y"), (calendar$mon[match(order_day, days)] >= 6) + 1, orders$region)
for (part in unique(half)) {
  here <- which(half[row] == part)
  years <- as.numeric(substr(part, 1, 4)) - 2023
  chance <- catalogue$popularity^1.5 * taste[, sub("^[0-9]+ [12] ", "", part)] * exp(trend * years)
  item[here] <- sample(nrow(catalogue), length(here), replace = TRUE, prob = chance)
}
day_of <- order_day[row]
outside <- day_of < from[item] | day_of > until[item]
item[outside] <- match("Red earthenware clay 12.5 kg", catalogue$product)

year <- as.numeric(format(day_of, "%Y")) - 2023
price <- round(catalogue$list_price[item] * (1 + 0.045 * year) * 20) / 20
quantity <- 1 + stats::rpois(length(row), pmin(6, 30 / catalogue$list_price[item]))
discount <- ifelse(channel[row] == "Van round",
                   sample(c(0, 0.05, 0.10, 0.15), length(row), replace = TRUE, prob = c(0.3, 0.4, 0.2, 0.1)),
                   sample(c(0, 0.05, 0.125), length(row), replace = TRUE, prob = c(0.85, 0.11, 0.04)))
returned <- stats::runif(length(row)) < 0.011
quantity[returned] <- -pmin(quantity[returned], 2)

lines <- data.frame(order_id = orders$order_id[row], product_id = products$product_id[item],
                    quantity = quantity, cents = as.integer(round(price * 100)), discount = discount)

# Quellholt: next to nothing in 2023 to 2025, a studio opened there in 2026 ------------------------

quiet <- orders$town == "Quellholt"
lines <- lines[!lines$order_id %in% orders$order_id[quiet], ]
orders <- orders[!quiet, ]

add_order <- function(day, region, town, product, quantity, cents, channel = "Web", status = "delivered") {
  id <- sprintf("B%05d", sum(grepl("^B", orders$order_id)) + 1)
  orders[nrow(orders) + 1, ] <<- list(id, day, status, channel, "C9001", region, town)
  code <- products$product_id[match(product, products$product)]
  stopifnot(!anyNA(code))
  lines <<- rbind(lines, data.frame(order_id = id, product_id = code, quantity = quantity,
                                    cents = cents, discount = 0))
}
add_order("2025-03-11", "Vale", "Quellholt", "Needle tool", 7, 550L)
add_order("2026-02-03", "Vale", "Quellholt", "Front-loading kiln 150 l", 3, 344250L)
add_order("2026-05-19", "Vale", "Quellholt", "Throwing wheel, belt drive", 1, 108900L)
add_order("2026-08-06", "Vale", "Quellholt", "Shelf set, silicon carbide", 2, 9275L)

# 29 February 2024 has one order that is easy to find -----------------------------------------------

add_order("2024-02-29", "Northmoor", "Skelhope", c("Slab roller, table top", "Needle tool"), c(1, 4), c(54300L, 575L),
          channel = "Counter", status = "collected")

# An exact tie: two packing products lead Highfen with the same revenue ----------------------------

minor_of <- function(x) {
  # integer arithmetic in tenths of a per cent: half a unit is rounded away from zero
  exact <- abs(x$quantity) * x$cents * round(1000 * (1 - x$discount))
  sign(x$quantity) * (exact + 500) %/% 1000
}
kept <- orders$order_id[orders$status %in% c("delivered", "collected") & orders$region == "Highfen"]
in_highfen <- lines[lines$order_id %in% kept, ]
by_code <- tapply(minor_of(in_highfen), in_highfen$product_id, sum)
packing <- products$product_id[products$category %in% "Packing & safety"]
two <- names(sort(by_code[packing], decreasing = TRUE))[1:2]
short <- unname(by_code[two[1]] - by_code[two[2]])
name <- products$product[match(two[2], products$product_id)]
list_cents <- as.integer(round(catalogue$list_price[match(two[2], products$product_id)] * 100))
full <- short %/% list_cents
rest <- as.integer(short %% list_cents)
add_order("2026-06-30", "Highfen", "Turvenhay", rep(name, 1 + (rest > 0)), c(full, if (rest > 0) 1),
          c(list_cents, if (rest > 0) rest))

# Orders by day; statuses in the spellings that people and tills leave behind ----------------------

orders <- orders[order(orders$order_day, orders$order_id), ]
spell <- function(x, share, how) {
  hit <- stats::runif(length(x)) < share & nzchar(x)
  x[hit] <- how(x[hit])
  x
}
orders$status <- spell(orders$status, 0.06, function(x) paste0(toupper(substr(x, 1, 1)), substring(x, 2)))
orders$status <- spell(orders$status, 0.02, toupper)
orders$status <- spell(orders$status, 0.015, function(x) paste0(x, " "))
orders$status <- spell(orders$status, 0.01, function(x) paste0(" ", x))

lines <- lines[order(match(lines$order_id, orders$order_id)), ]
lines$unit_price <- sprintf("%.2f", lines$cents / 100)
lines$discount <- format(lines$discount, drop0trailing = TRUE, trim = TRUE)
lines$line_id <- sprintf("%05d", seq_len(nrow(lines)))
lines <- lines[c("line_id", "order_id", "product_id", "quantity", "unit_price", "discount")]

# Unusable lines -------------------------------------------------------------------------------------

# None of them in Highfen, where they would break the tie.
elsewhere <- orders$order_id[orders$region != "Highfen" & grepl("^A", orders$order_id)]
at <- function(k) sort(sample(which(lines$order_id %in% elsewhere), k))
plain <- function(k) sort(sample(which(orders$order_id %in% elsewhere), k))
orders$order_day[plain(2)] <- ""
unreadable <- plain(2)
orders$order_day[unreadable] <- c("2025-02-30", "13.2024")
lines$order_id[at(3)] <- c("A99990", "A99991", "A99992")
lines$product_id[at(4)] <- "K999"
lines$product_id[at(2)] <- ""
lines$unit_price[at(3)] <- ""
lines$unit_price[at(2)] <- "n/a"
lines$unit_price[at(1)] <- "99999999999999.00"
blank <- at(2)
lines$quantity <- as.character(lines$quantity)
lines[blank, ] <- ""

write_csv(orders, "orders.csv")
write_csv(lines, "order_lines.csv")
