#' Causes of a change: volume, mix and price
#'
#' Splits the change of every row into what it is made of: more or fewer pieces, a shift between dearer and cheaper
#' products, other prices, and products that are new or gone. Every row, subtotals included, is computed from the
#' products of its own scope, never from the causes of other rows.
#'
#' @param t A totals table with [add_change()].
#' @param of The measure whose change is split, as in [add_rank()]; a sum without a condition of its own.
#' @param over Column whose members have a price, by default the product.
#' @param units Text: name of the column of pieces.
#' @param list_price Text: name of a column of the price of one piece before discounts. What the discounts changed is
#'   then a cause of its own, and `<of>_price` is what the list prices changed. A line without a list price counts as
#'   sold without a discount.
#' @param returns Logical: are returns, the lines whose `of` is below 0, a cause of their own? The other causes are then
#'   those of the lines that are not returns.
#' @param name Text: what the new columns start with, instead of `of`.
#' @return `t` with the columns
#'   * `<of>_volume`: as if only the number of pieces had changed, at the earlier prices and the earlier mix;
#'   * `<of>_mix`: what the shift between dearer and cheaper products adds to that, at the earlier prices;
#'   * `<of>_price`: the pieces of now at the prices of now instead of the earlier ones;
#'   * `<of>_discount`, with `list_price`: what higher or lower discounts make of that;
#'   * `<of>_new`, `<of>_gone`: the change of products that have a price only now, and of those that had one only
#'     before; a product without pieces, or of which more came back than was sold, has none;
#'   * `<of>_returns`, with `returns`: the change of what was returned;
#'   * `<of>_causes`: `split`, or `unknown` where the periods cannot be compared, and the causes are missing.
#'
#'   The columns add up to `<of>_change`, to the minor unit.
#' @section Definition: With pieces q and revenue r of each product that has a price in both periods (0 before, 1
#'   now), Q the sum of q and R the sum of r: volume is R0 Q1 / Q0 - R0, mix is the sum of q1 r0 / q0 less R0 Q1 / Q0,
#'   price is R1 less the sum of q1 r0 / q0. R0 Q1 / Q0 and the sum of q1 r0 / q0 are each rounded once to the minor
#'   unit, so the parts add up. This is the price-volume-mix variance of management accounting: C. Drury, Management and
#'   Cost Accounting, sales margin price, volume and mix variances.
#' @section Errors: `hinterfeld_error_column` if the table has no change of `of`; `hinterfeld_error_measure` for a
#'   measure that is not a plain sum; `hinterfeld_error_facts` for a tally that does not hold `over` and `units`.
#' @export
#' @examples
#' t <- totals(demo_daybook(), by = region, every = "year", subtotals = TRUE)
#' add_causes(add_change(t))
add_causes <- function(t, of = NULL, over = "product", units = "units", list_price = NULL, returns = FALSE,
                       name = NULL) {
  check_totals(t)
  check_name(name)
  of <- columns_given(enquo(of), t)
  check_measure(t, of)
  check_text(units, "units")
  check_text(list_price, "list_price", none = TRUE)
  check_flag(returns, "returns")
  facts <- facts_of(answer_of(t))
  check_list_price(list_price, facts)
  over <- pick_columns(enquo(over), split_columns(facts), "over")
  if (length(over) != 1) {
    stop_because("argument", sprintf("%s must name one column.", as_typed("over")), i = "For example `over = product`.")
  }
  args <- list(of = of, over = over, units = units, list_price = list_price, returns = returns)
  endings <- cause_endings(args)
  columns <- stats::setNames(paste0(name %||% of, endings), names(endings))
  take_step(step_on(t, "causes", args, columns), t, call = rlang::current_env())
}

# A tally says by itself what it does not hold.
check_list_price <- function(list_price, facts, call = caller_env()) {
  if (is.null(list_price) || inherits(facts, "hinterfeld_tally")) {
    return(invisible())
  }
  numbers <- Filter(function(name) type_of(rowsets_of(facts)[[1]]$columns[[name]]) == "number", split_columns(facts))
  check_choice(list_price, "list_price", numbers, call = call)
}

#' @export
take_step.hinterfeld_step_causes <- function(step, t, again = FALSE, call = caller_env()) {
  of <- step_names(t, step$args$of)
  change <- change_step(t, of, call)
  measures <- measures_of_causes(t, of, step$args, call)
  codes <- row_codes(t, call)
  answer <- answer_of(t)
  fine <- members_for_causes(answer, measures, step$args$over, change)
  unknown <- rep(c(NA, 2), c(7, 1))
  causes <- matrix(unknown, nrow(t), 8, byrow = TRUE, dimnames = list(NULL, names(all_causes)))
  for (i in seq_along(answer$levels)) {
    split <- answer$keys[answer$levels[[i]]$split]
    rows <- which(codes$level == i)
    # A total over all periods has no earlier one.
    dated <- intersect(answer$periods, split)
    if (length(rows) && (is.null(answer$every) || !is.null(single_grain(ids_of(answer, dated))))) {
      causes[rows, ] <- causes_of_level(answer, split, rows, codes, fine(ids_of(answer, split)), change)
    }
  }
  apart <- t[[names_of(answer, change$columns[["direction"]])]] == "unknown"
  causes[apart, ] <- unknown[col(causes)[apart, ]]
  measure <- answer$measures[[of]]
  parts <- lapply(setdiff(names(step$columns), "causes"), function(cause) {
    list(values = from_minor(causes[, cause], measure$decimals), counts = measure$counts, decimals = measure$decimals,
         signed = TRUE)
  })
  verdict <- list(values = lazy_text(as.integer(causes[, "causes"]), causes_verdicts), counts = "class")
  add_columns_of(t, step, c(parts, list(verdict)), step_stats_of(t, count_missing(causes[, "volume"])), call)
}

all_causes <- c(volume = "_volume", mix = "_mix", price = "_price", discount = "_discount", new = "_new",
                gone = "_gone", returns = "_returns", causes = "_causes")

# Discounts and returns are told apart only if they are asked for.
cause_endings <- function(args) {
  all_causes[c(TRUE, TRUE, TRUE, !is.null(args$list_price), TRUE, TRUE, isTRUE(args$returns), TRUE)]
}

usual_causes <- c("volume", "mix", "price", "new", "gone")

causes_verdicts <- c("split", "unknown")

# The last change of a measure that the table has.
change_step <- function(t, of, call = caller_env()) {
  answer <- answer_of(t)
  found <- Filter(function(step) step$kind == "change" && step_names(t, step$args$of) == of &&
                    all(names_of(answer, step$columns) %in% names(t)), answer$inquiry$steps)
  if (length(found) == 0) {
    stop_because("column", sprintf("The table has no change of `%s`.", of),
                 i = sprintf("Add it first with %s.", as_typed("add_change()")), call = call)
  }
  found <- found[[length(found)]]
  if (isTRUE(found$args$per_open_day)) {
    stop_because("argument", sprintf("The change of `%s` is per open day, so it has no causes.", of),
                 i = sprintf("Add a change without %s.", as_typed("per_open_day")), call = call)
  }
  found
}

# What the causes are computed from, as an inquiry holds it: the measure and its pieces, and with `list_price` the value
# at list prices. With `returns`, these hold sales alone, and what was returned is a measure of its own.
measures_of_causes <- function(t, of, args, call) {
  answer <- answer_of(t)
  spec <- answer$inquiry$measures[[ids_of(answer, of)]]
  if (spec$kind != "sum" || !is.null(spec$where)) {
    stop_because("measure", sprintf("The change of `%s` has no causes.", of),
                 i = "Volume, mix and price are of a sum that has no condition of its own.", call = call)
  }
  measures <- facts_measures(facts_of(answer, call), cause_measures(asked_measure(spec), args), call)
  c(list(of = if (isTRUE(args$returns)) measures$of$spec else spec),
    lapply(measures[names(measures) != "of"], function(m) m$spec))
}

# The measures beside that of a change, as totals() takes them; `m` is that measure.
cause_measures <- function(m, args) {
  amount <- rlang::quo_get_expr(m$x)
  quo <- function(expr) rlang::new_quosure(expr, rlang::quo_get_env(m$x))
  sum <- function(x, where = NULL) new_measure("sum", quo(x), where = quo(where))
  units <- as.symbol(args$units)
  sold <- if (isTRUE(args$returns)) call(">=", amount, 0)
  listed <- if (!is.null(args$list_price)) {
    price <- as.symbol(args$list_price)
    call("ifelse", call("is.na", price), amount, call("*", price, units))
  }
  Filter(Negate(is.null), list(
    of = if (!is.null(sold)) sum(amount, sold), pieces = sum(units, sold),
    listed = if (!is.null(listed)) sum(listed, sold),
    returned = if (!is.null(sold)) sum(amount, call("<", amount, 0))
  ))
}

# The members of the scopes that columns tell, each with its change; levels that need the same ones share them.
members_for_causes <- function(answer, measures, over, change) {
  answer$inquiry$measures <- measures
  how <- change$args[intersect(c("versus", "align", "like_for_like", "periods"), names(change$args))]
  made <- list()
  function(ids) {
    name <- paste(union(ids, over), collapse = "\r")
    if (is.null(made[[name]])) {
      fine <- quietly(retotal(answer, union(ids, over), names(measures)))
      for (of in names(measures)) fine <- quietly(rlang::exec(add_change, fine, of = of, !!!how, name = of))
      made[[name]] <<- fine
    }
    made[[name]]
  }
}

# The causes of the rows of one level, from the members of each row's own scope: a column for each, and the code of the
# verdict.
causes_of_level <- function(answer, split, rows, codes, fine, change) {
  ids <- ids_of(answer, split)
  measures <- answer_of(fine)$inquiry$measures
  own <- row_codes(fine)
  at <- match(ids, ids_of(answer_of(fine), answer_of(fine)$keys))
  scope <- if (length(split)) {
    place <- match(split, answer$keys)
    find_groups(own$keys[at], lapply(codes$keys[place], function(code) code[rows]),
                pmax(key_sizes(own$all[at]), key_sizes(codes$all[place])))
  } else {
    rep(1L, nrow(fine))
  }
  # In minor units of the measure; what was not asked for is 0.
  values <- function(ending) {
    columns <- lapply(c("of", "pieces", "listed", "returned"), function(name) {
      if (!name %in% names(measures)) {
        return(numeric(nrow(fine)))
      }
      minor <- minor_of(exact_values(fine, paste0(name, ending)))$minor
      if (name == "listed") minor * 10^(measures$of$decimals - measures$listed$decimals) else minor
    })
    matrix(unlist(columns), nrow(fine), 4)
  }
  now <- if (is.null(change$args$periods)) "" else "_now"
  causes_kernel(as.integer(scope), length(rows), values("_before"), values(now), "listed" %in% names(measures))
}

