# Answers that take long are made by a copy of this process, so that other readers do not wait; it ends when its reader
# chooses something else.

# Many groups take long, and many lines if the measure is not just added up.
is_long <- function(facts, table) {
  limit <- getOption("hinterfeld.desk_copy", 1e5)
  keys <- facts_keys(facts, unlist(table$by), unlist(table$every))
  plain <- all(vapply(table$measures, adds_up_entry, NA))
  can_fork() && (prod(key_sizes(keys)) > limit || !plain && facts$lines > 20 * limit)
}

# `use` is given what `work` returns, as heard_job() does, unless another choice comes first.
in_copy_of_desk <- function(me, version, work, use) {
  me$copy <- copy <- start_copy(work)
  look <- function() {
    done <- suppressWarnings(parallel::mccollect(copy, wait = FALSE))
    if (is.null(done)) {
      return(later_for(me, version, look, 0.05))
    }
    me$copy <- NULL
    use(done[[1]] %||% list(error = simpleError("The copy ended.")))
  }
  later_for(me, version, look, 0.05)
}

end_copy <- function(me) {
  if (!is.null(me$copy)) {
    tools::pskill(me$copy$pid, tools::SIGKILL)
    suppressWarnings(parallel::mccollect(me$copy))
    me$copy <- NULL
  }
}

# An answer that a copy has made, with the facts of this process.
answer_of_copy <- function(me, done) {
  made <- value_of_copy(done)
  facts <- counted_facts(me$desk, me$state)
  table <- made$table
  if (!is.null(answer_of(table))) table <- set_answer(table, facts = handle_kernel(facts))
  new_desk_answer(me$state, facts, table, made$notes)
}
