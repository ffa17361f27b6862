#' Unsold products of a catalogue
#'
#' Lists what sales alone cannot show: products that have no kept line, anywhere or in some region, channel or period.
#'
#' @param book A daybook made by [daybook()].
#' @param catalogue A data frame of all products, one row each.
#' @param where Condition over the daybook's columns, as in [keep_lines()]: which lines count as a sale, for
#'   example `region == "Saltcoast"`.
#' @param within Columns of the daybook, bare or as strings: check each combination of these that has lines.
#' @param product Column of the catalogue that identifies products. If the daybook has a column of that name, such as
#'   `product_id`, products are identified by it; otherwise it contains the product's name as the daybook has it.
#' @return `unsold()`: a tibble with one row per product (and combination of `within`) without a kept line: the `within`
#'   columns, the catalogue's columns, and what the product sold elsewhere in the daybook: `last_sale` (date), `lines`,
#'   `units` if the daybook has them, and `revenue`. If the product never sold, the date is missing and the others are
#'   0. Rows are in order of `within`, then of the catalogue. `coverage()`: one row for every product and combination of
#'   `within`, sold or not: `sold` (logical), `last_sale`, `lines`, `units`, `revenue` there.
#' @section Errors: `hinterfeld_error_column` for unknown columns, `hinterfeld_error_repeated_key` for a product that
#'   appears twice in the catalogue, and the errors of [keep_lines()] for `where`.
#' @export
#' @examples
#' products <- load_table(demo_files()[["products"]])
#' unsold(demo_daybook(), products, where = region == "Saltcoast")
#' unsold(demo_daybook(), products, within = region)
#' coverage(demo_daybook(), products, within = region)
unsold <- function(book, catalogue, where = NULL, within = NULL, product = product) {
  where <- enquo(where)
  within <- pick_columns(enquo(within), split_columns(book), "within")
  sales <- product_sales(book, product_key(enquo(product), catalogue, book))
  catalogue <- read_catalogue(sales, catalogue, enquo(product))
  counted <- if (!rlang::quo_is_null(where)) answered_rows(rowsets_of(book)[[1]], where, TRUE, caller_env())$rows
  if (!rlang::quo_is_null(where)) mention_unknown_values(where, rowsets_of(book)[[1]])
  sold <- sold_there(sales, catalogue$names, within, counted)
  missed <- which(sold$lines == 0)
  elsewhere <- sold_there(sales, catalogue$names, character())[sold$product[missed], ]
  decimals <- sales$decimals
  sales <- as.list(elsewhere[c("last_sale", "lines", if ("units" %in% names(decimals)) "units", "revenue")])
  products <- as.list(catalogue$table[sold$product[missed], ])
  clash <- names(products) %in% c(within, names(sales))
  names(products)[clash] <- paste0(names(products)[clash], "_catalogue")
  columns <- c(as.list(sold[missed, within]), products, sales)
  new_listing("unsold", columns, length(missed), sold_columns(decimals), about_facts(book),
              list(within = within, column = catalogue$column, never = anyNA(sales$last_sale),
                   where = if (!rlang::quo_is_null(where)) shown_expression(where, names(sales$columns))))
}

# What the columns of sales beside a product count.
sold_columns <- function(decimals) {
  c(list(lines = list(counts = "lines", decimals = 0L),
         revenue = list(counts = "money", decimals = decimals[["revenue"]])),
    if ("units" %in% names(decimals)) list(units = list(counts = "pieces", decimals = decimals[["units"]])))
}

#' @rdname unsold
#' @export
coverage <- function(book, catalogue, within, product = product) {
  within <- pick_columns(enquo(within), split_columns(book), "within")
  sales <- product_sales(book, product_key(enquo(product), catalogue, book))
  catalogue <- read_catalogue(sales, catalogue, enquo(product))
  sold <- sold_there(sales, catalogue$names, within)
  sold$sold <- sold$lines > 0
  sold$product <- catalogue$names[sold$product]
  columns <- sold[c(within, "product", "sold", "last_sale", "lines", if ("units" %in% names(sales$decimals)) "units",
                    "revenue")]
  new_listing("coverage", as.list(columns), nrow(sold), sold_columns(sales$decimals), about_facts(book),
              list(within = within, column = "product"))
}

# The column that tells products apart: that which the catalogue and the daybook both have by this name, otherwise the
# daybook's products.
product_key <- function(product, catalogue, book, call = caller_env()) {
  check_facts(book, "book", call)
  check_table(catalogue, "catalogue", call)
  name <- pick_columns(product, names(catalogue), "product", call)[1]
  if (name %in% split_columns(book)) name else "product"
}

# Lines, revenue, last day and units as amounts over the rows of the facts; `key` tells products apart.
product_sales <- function(facts, key = "product", call = caller_env()) {
  check_facts(facts, "book", call)
  rowset <- rowsets_of(facts)[[1]]
  columns <- rowset$columns
  tallied <- inherits(facts, "hinterfeld_tally")
  if (tallied && !(key %in% facts$by && identical(facts$every, "day"))) {
    stop_not_held(facts, "Unsold products can only be found in a tally by product and per day.", call)
  }
  units <- if (tallied) "units" %in% names(facts$measures) else "units" %in% names(facts$roles)
  amounts <- if (tallied) {
    lapply(rowset$amounts[c(lines = ".lines", revenue = ".revenue", if (units) c(units = "units"))], held_amount)
  } else {
    list(lines = new_amount("count"), revenue = new_amount("sum", columns$revenue),
         units = if (units) new_amount("sum", columns$units))
  }
  names(amounts) <- c("lines", "revenue", if (units || !tallied) "units")
  amounts$last <- new_amount("largest", as.double(columns$day))
  scale <- if (units) if (tallied) facts$measures$units$spec$decimals else facts$decimals[["units"]]
  list(columns = columns, rows = rowset$lines, amounts = Filter(Negate(is.null), amounts),
       products = column_key(key, facts, list(rowset)), decimals = c(facts$decimals["revenue"], units = scale))
}

read_catalogue <- function(sales, catalogue, product, call = caller_env()) {
  check_table(catalogue, "catalogue", call)
  column <- pick_columns(product, names(catalogue), "product", call)
  names <- plain_value(catalogue[[column[1]]])
  twice <- unique(names[duplicated(names) & !is.na(names)])
  if (length(twice)) {
    stop_because("repeated_key", sprintf("The catalogue has %s more than once.", count_of(length(twice), "product")),
                 x = sprintf("They are %s.", examples_of(twice)),
                 i = "Keep one row per product, or name a key that the daybook has too: `product = product_id`.",
                 call = call)
  }
  unlisted <- setdiff(product_names(sales), names)
  if (length(unlisted)) {
    say("catalogue",
        sprintf("%s of the daybook %s not in the catalogue: %s.", count_of(length(unlisted), "product"),
                if (length(unlisted) == 1) "is" else "are", examples_of(unlisted)))
  }
  list(table = tibble::as_tibble(catalogue), names = names, column = column[1])
}

# Those that some row has.
product_names <- function(sales) {
  codes <- as.integer(sales$products$codes)
  plain_value(sales$products$labels)[sort(unique(codes[!is.na(codes) & codes > 0]))]
}

# Lines, revenue and last sale of each product in each combination of `within` that there are lines for, counted in some
# rows or all; products by their place in `names`.
sold_there <- function(sales, names, within, counted = NULL) {
  keys <- lapply(within, function(name) key_of_column(name, sales$columns[[name]]))
  places <- group_lines(sales$rows, keys)
  labels <- choose_labels(keys, places$parts)
  grid <- expand.grid(product = seq_along(names), place = seq_len(places$count))
  columns <- Map(function(key, part) key_values(key, part, grid$place, labels), keys, places$parts)
  rows <- tibble::new_tibble(c(stats::setNames(columns, within), list(product = grid$product)), nrow = nrow(grid))

  # Places without a line that counts are not looked at, unless none has one.
  if (length(counted) && length(within)) {
    looked_at <- grid$place %in% places$codes[counted]
    rows <- rows[looked_at, ]
    grid <- grid[looked_at, ]
  }
  known <- match(plain_value(sales$products$labels), names)
  codes <- as.integer(sales$products$codes)
  product <- new_key("product", known[replace(codes, codes < 1, NA)], names)
  mine <- new_key("place", rep_len(places$codes, sales$rows), seq_len(places$count))
  # Products that the catalogue lacks get no code and are ignored, and so are rows that do not count.
  if (!is.null(counted)) product$codes[-counted] <- NA
  if (!is.null(counted) && length(counted) == 0) product$codes[] <- NA
  sums <- tally_lines(sales$rows, list(product, mine), sales$amounts)
  at <- find_groups(list(grid$product, grid$place), sums$codes, c(length(names), places$count))
  zero <- function(x) replace(x[at], is.na(at), 0)
  rows$last_sale <- plain_days(sums$values$last[at])
  rows$lines <- zero(sums$values$lines)
  for (name in names(sales$decimals)) rows[[name]] <- from_minor(zero(sums$values[[name]]), sales$decimals[[name]])
  # Lines and groups of lines may stand in any order.
  rows[do.call(ordered_rows, c(lapply(unname(as.list(rows[within])), sort_places, down = FALSE), list(rows$product))), ]
}
