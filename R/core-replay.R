# Steps computed again.

# A table that was made again, with the columns and the names that the former one had.
restore_names <- function(t, answer) {
  own <- attr(t, "answer", exact = TRUE)
  ids <- vapply(own$columns, function(column) column$id, "")
  kept <- ids %in% vapply(answer$columns, function(column) column$id, "")
  t <- quietly(t[!names(t) %in% names(own$columns)[!kept]])
  names(t) <- names_of(answer, ids_of(answer_of(t), names(t)))
  set_answer(t, inquiry = answer$inquiry, by_hand = answer$by_hand)
}

# Takes steps of another table's inquiry again. What was added to that table by hand is not known here.
replay <- function(t, steps) {
  for (step in steps) t <- quietly(take_step(step, t, again = TRUE))
  t
}
