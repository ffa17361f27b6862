# A table as it was at the end of a day.

# The same table from the lines up to a day, with its steps computed again.
table_as_of <- function(t, as_of, call = caller_env()) {
  answer <- answer_of(t)
  span <- answer$about$span
  if (!inherits(as_of, "Date") || length(as_of) != 1 || is.na(as_of) || as_of < span[1] || as_of > span[2]) {
    stop_because("period", sprintf("%s must be one day of the data.", as_typed("as_of")),
                 i = sprintf("They run from %s.", paste(format(span), collapse = " to ")), call = call)
  }
  if (answer$cut) {
    stop_because("argument", "A table that has lost rows cannot be computed as of another day.",
                 i = sprintf("Set %s before you drop rows.", as_typed("as_of")), call = call)
  }
  # On its last day a table is as it is.
  if (as_of == span[2]) {
    return(t)
  }
  facts <- facts_up_to(facts_of(answer, call), as_of, call)
  split <- ids_of(answer, answer$keys)
  again <- retotal(answer, split, subtotals = subtotals_of(answer), fill = answer$inquiry$fill, facts = facts)
  restore_names(replay(again, answer$inquiry$steps), answer)
}

facts_up_to <- function(facts, as_of, call) {
  day <- facts$every %||% "day"
  if (day != "day" && period_end(as_of, day, facts$calendar) > as_of) {
    stop_because("facts", sprintf("The tally is kept per %s, not per day.", day),
                 i = sprintf("Take it as of the end of a %s, or tally with %s.", day, as_typed("every = \"day\"")),
                 call = call)
  }
  when <- rlang::inject(rlang::quo(!!as.symbol(day) <= !!as_of))
  facts <- restrict(facts, when, sprintf("days to %s", as_of), TRUE, "keep", call)
  facts$span[2] <- as_of
  facts
}
