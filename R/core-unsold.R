#' Products of a catalogue without a sale
#'
#' What no sum over sales can show: products that have no kept line, everywhere or in some region,
#' channel or period.
#'
#' @param book A daybook made by [daybook()].
#' @param catalogue A data frame of the products there are, one row each.
#' @param where Condition over the daybook's columns, as in [keep_lines()]: which lines count as a sale, for
#'   example `region == "Saltcoast"`.
#' @param within Columns of the daybook, bare or as strings: look in each of their combinations that has
#'   lines.
#' @param product Column of the catalogue that holds the product's name as the daybook has it.
#' @return `unsold()`: a tibble with one row per product (and combination of `within`) without a kept line: the
#'   `within` columns, the catalogue's columns, and what the product sold elsewhere in the daybook:
#'   `last_sale` (date), `lines`, `units` where the daybook has them, `revenue`; 0 and a missing date
#'   where it never sold. `coverage()`: one row for every product and combination of `within`, sold or not:
#'   `sold` (logical), `last_sale`, `lines`, `units`, `revenue` there.
#' @section Errors: `hinterfeld_error_column` for unknown columns, `hinterfeld_error_repeated_key` for a product that
#'   stands twice in the catalogue, and the errors of [keep_lines()] for `where`.
#' @export
#' @examples
#' products <- load_table(demo_files()[["products"]])
#' unsold(demo_daybook(), products, where = region == "Saltcoast")
#' unsold(demo_daybook(), products, within = region)
#' coverage(demo_daybook(), products, within = region)
unsold <- function(book, catalogue, where = NULL, within = NULL, product = product) {
  check_daybook(book)
  where <- enquo(where)
  within <- pick_columns(enquo(within), names(book$columns), "within")
  catalogue <- read_catalogue(book, catalogue, enquo(product))
  counted <- if (rlang::quo_is_null(where)) seq_len(book$lines) else which(
    evaluate_condition(book, where, caller_env())
  )
  if (!rlang::quo_is_null(where)) mention_unknown_values(where, book)
  sold <- sold_there(take_parts(book, list(counted)), book, catalogue$names, within)
  missed <- which(sold$lines == 0)
  elsewhere <- sold_there(book, book, catalogue$names, character())[sold$product[missed], ]
  sales <- as.list(elsewhere[c("last_sale", "lines", if ("units" %in% names(book$roles)) "units", "revenue")])
  known <- as.list(catalogue$table[sold$product[missed], ])
  clash <- names(known) %in% c(within, names(sales))
  names(known)[clash] <- paste0(names(known)[clash], "_catalogue")
  columns <- c(as.list(sold[missed, within]), known, sales)
  new_listing("unsold", columns, length(missed), sold_columns(book), about_facts(book),
              list(within = within, where = if (!rlang::quo_is_null(where)) rlang::as_label(where)))
}

# What the columns of sales beside a product count.
sold_columns <- function(book) {
  c(list(lines = list(counts = "lines", decimals = 0L),
         revenue = list(counts = "money", decimals = book$decimals[["revenue"]])),
    if ("units" %in% names(book$roles)) list(units = list(counts = "pieces", decimals = book$decimals[["units"]])))
}

#' @rdname unsold
#' @export
coverage <- function(book, catalogue, within, product = product) {
  check_daybook(book)
  within <- pick_columns(enquo(within), names(book$columns), "within")
  catalogue <- read_catalogue(book, catalogue, enquo(product))
  sold <- sold_there(book, book, catalogue$names, within)
  sold$sold <- sold$lines > 0
  sold$product <- catalogue$names[sold$product]
  columns <- sold[c(within, "product", "sold", "last_sale", "lines", if ("units" %in% names(book$roles)) "units",
                    "revenue")]
  new_listing("coverage", as.list(columns), nrow(sold), sold_columns(book), about_facts(book), list(within = within))
}

read_catalogue <- function(book, catalogue, product, call = caller_env()) {
  check_table(catalogue, "catalogue", call)
  column <- pick_columns(product, names(catalogue), "product", call)
  names <- plain_value(catalogue[[column[1]]])
  twice <- unique(names[duplicated(names) & !is.na(names)])
  if (length(twice)) {
    stop_because("repeated_key", c(
      sprintf("The catalogue has %s more than once.", count_of(length(twice), "product")),
      x = sprintf("They are %s.", examples_of(twice)),
      i = "Keep one row per product."
    ), call = call)
  }
  unlisted <- setdiff(product_names(book), names)
  if (length(unlisted)) {
    say("catalogue", sprintf("%s of the daybook %s not in the catalogue: %s.", count_of(length(unlisted), "product"),
                             if (length(unlisted) == 1) "is" else "are", examples_of(unlisted)))
  }
  list(table = tibble::as_tibble(catalogue), names = names)
}

product_names <- function(book) {
  plain_value(column_values(book, "product"))
}

# Lines, revenue and last sale of each product in each combination of `within` that `all` has lines for;
# products by their place in `names`.
sold_there <- function(book, all, names, within) {
  keys <- lapply(within, function(name) key_of_column(name, all$columns[[name]]))
  places <- group_lines(all$lines, keys)
  labels <- choose_labels(keys, places$parts)
  grid <- expand.grid(product = seq_along(names), place = seq_len(places$count))
  columns <- Map(function(key, part) key_values(key, part, grid$place, labels), keys, places$parts)
  rows <- tibble::new_tibble(c(stats::setNames(columns, within), list(product = grid$product)), nrow = nrow(grid))

  product <- new_key("product", match(product_names(book), names), names)
  mine <- place_of_lines(book, within, keys, places)
  amounts <- list(lines = new_amount("count"), revenue = new_amount("sum", book$columns$revenue),
                  last = new_amount("largest", as.double(book$columns$day)))
  if ("units" %in% names(book$roles)) amounts$units <- new_amount("sum", book$columns$units)
  found <- tally_lines(book$lines, list(product, mine), amounts)
  # Products that the catalogue lacks have no code, and are nobody's.
  at <- find_groups(list(grid$product, grid$place), found$codes, c(length(names), places$count))
  zero <- function(x) replace(x[at], is.na(at), 0)
  rows$last_sale <- plain_days(found$values$last[at])
  rows$lines <- zero(found$values$lines)
  if (!is.null(amounts$units)) rows$units <- from_minor(zero(found$values$units), book$decimals[["units"]])
  rows$revenue <- from_minor(zero(found$values$revenue), book$decimals[["revenue"]])
  rows
}

# The place (combination of `within`) of each line of `book`, numbered as in `places`.
place_of_lines <- function(book, within, keys, places) {
  codes <- lapply(seq_along(within), function(k) {
    code <- match(column_values(book, within[k]), keys[[k]]$labels)
    replace(code, is.na(code), 0L)
  })
  place <- find_groups(codes, places$parts, key_sizes(keys))
  new_key("place", rep_len(place, book$lines), seq_len(places$count))
}
