#' The Kilnmoor Supply demo
#'
#' Kilnmoor Supply is a made-up wholesaler of pottery materials on a made-up island. Its files are
#' the package's example data; a seeded script makes them.
#'
#' Amounts are in the island's currency, the mark ("Mk").
#'
#' @section Tables:
#' `order_lines.csv`, one row per sale line:
#'
#' | column | type | unit or values |
#' | --- | --- | --- |
#' | `line_id` | text | five digits |
#' | `order_id` | text | key of orders |
#' | `product_id` | text | key of products |
#' | `quantity` | number | pieces; negative for a return |
#' | `unit_price` | text | currency per piece, two decimals; a few cannot be read |
#' | `discount` | number | fraction of the price, 0 to 0.15 |
#'
#' `orders.csv`, one row per order:
#'
#' | column | type | unit or values |
#' | --- | --- | --- |
#' | `order_id` | text | key |
#' | `order_day` | text | day, 2023-01-01 to 2026-09-17; a few cannot be read |
#' | `status` | text | delivered, collected, cancelled, open; in many spellings |
#' | `channel` | text | Counter, Van round, Web |
#' | `customer_id` | text | code |
#' | `region`, `town` | text | key of towns |
#'
#' `products.csv`, one row per product:
#'
#' | column | type | unit or values |
#' | --- | --- | --- |
#' | `product_id` | text | key |
#' | `product` | text | name |
#' | `category`, `subcategory` | text | five categories; blank for two products |
#' | `unit_cost` | number | currency per piece |
#' | `launched`, `discontinued` | date | blank if launched before the data begin, or still sold |
#'
#' `towns.csv`, one row per town: `region` and `town` (text, the key), `longitude` and `latitude`
#' (numbers, degrees). `targets.csv`, one row per region: `region`, `period` (the year) and `target` (number, currency).
#' `closed_days.csv`, one row per day on which the shop is closed: `day` and `why`. `island.geojson`: the island's
#' outline.
#'
#' @section Planted difficulties:
#' * **Spellings.** `status` is written in several ways (`delivered`, `Delivered`, `" DELIVERED"`,
#'   `"collected "`) and is blank for some orders. Completed sales are delivered or collected.
#' * **Tie.** "Double-wall box medium" and "Honeycomb wrap 50 m" lead "Packing & safety" in Highfen with
#'   exactly the same revenue over all completed sales.
#' * **Unsold.** "Tall shelf prop 300 mm" never sold in Saltcoast.
#' * **New and gone.** "Sea-mist glaze 1 l" was launched on 2026-02-02; "Reclaimed clay 12.5 kg" was
#'   discontinued on 2024-06-30.
#' * **Huge change.** Quellholt in the Vale: 38.50 in 2025 and 11 602.00 in 2026, some +30 000 %.
#' * **Returns.** Lines with a negative quantity.
#' * **Leap day.** Sales on 2024-02-29, among them a slab roller in Skelhope.
#' * **Blank category.** "Gift voucher card" and "Pallet charge" have none.
#' * **Repeated key.** The town name Oldkiln appears twice in `towns.csv`, in the Vale and in Highfen; only region and
#'   town together are a key.
#' * **Unfinished month.** The data end on 2026-09-17.
#' * **Closed days.** No sales on 25 and 26 December, on which the shop is closed.
#' * **Target without sales.** The Outer isles have a target for 2026 and no line.
#' * **Unusable lines.** Two entirely blank rows; orders that do not exist (A99990, A99991, A99992); orders with a blank
#'   day or with the days `2025-02-30` and `13.2024`; the unknown product K999 and blank products; prices that are
#'   blank, `n/a`, or 99999999999999.00.
#'
#' @examples
#' survey(demo_files()[["orders"]], status)
#' @name kilnmoor
#' @seealso [demo_files()], [demo_brief()], [demo_daybook()]
NULL

#' Files, brief and daybook of the Kilnmoor demo
#'
#' @param completed Logical: keep completed sales only: those delivered or collected, however spelled.
#' @return `demo_files()`: the paths of the demo's files, named `orders`, `order_lines`, `products`,
#'   `towns`, `targets`, `closed_days` and `island`. `demo_brief()`: the path of its brief, for [run_brief()].
#'   `demo_daybook()`: the daybook made of them, unusable lines set aside; see [kilnmoor] for its columns.
#' @section Errors: `hinterfeld_error_argument` when `completed` is not `TRUE` or `FALSE`.
#' @export
#' @examples
#' basename(demo_files())
#' demo_daybook()
demo_files <- function() {
  files <- c(
    orders = "orders.csv", order_lines = "order_lines.csv", products = "products.csv", towns = "towns.csv",
    targets = "targets.csv", closed_days = "closed_days.csv", island = "island.geojson"
  )
  paths <- system.file("extdata", "kilnmoor", files, package = "hinterfeld", mustWork = TRUE)
  stats::setNames(paths, names(files))
}

#' @rdname demo_files
#' @export
demo_brief <- function() {
  system.file("extdata", "kilnmoor", "kilnmoor.yaml", package = "hinterfeld", mustWork = TRUE)
}

#' @rdname demo_files
#' @export
demo_daybook <- function(completed = TRUE) {
  check_flag(completed, "completed")
  key <- as.character(completed)
  if (is.null(demo_books[[key]])) {
    # The demo's files are known to have lines without an order or a product: no news to a caller.
    demo_books[[key]] <- suppressMessages(kilnmoor_daybook(demo_files(), completed),
                                            classes = "hinterfeld_message_attach")
  }
  demo_books[[key]]
}

# The files of a package do not change: they are read once in a session.
demo_books <- new.env(parent = emptyenv())

utils::globalVariables(c("quantity", "unit_price", "discount", "status"))

kilnmoor_daybook <- function(files, completed) {
  lines <- load_table(files[["order_lines"]])
  lines <- attach_table(lines, load_table(files[["orders"]]), by = "order_id", need = "any")
  lines <- attach_table(lines, load_table(files[["products"]]), by = "product_id", need = "any")
  lines <- attach_table(lines, load_table(files[["towns"]]), by = c("region", "town"), need = "any")
  book <- daybook(
    lines, day = "order_day", product = "product", units = "quantity", order = "order_id",
    revenue = quantity * unit_price * (1 - discount), currency = "Mk", on_bad = "set_aside",
    calendar = sales_calendar(closed = load_table(files[["closed_days"]])$day)
  )
  if (completed) {
    book <- keep_lines(book, reads_as(status, "delivered", "collected"), why = "completed sales")
  }
  book
}
