# What takes long is made by copies of this process, so that other readers do not wait: as many at once as there are
# processors, the others in line. What several readers ask for is made once; a copy ends when all of them chose
# something else.

# Many groups take long, and many lines if the measure is not just added up.
is_long <- function(facts, table) {
  limit <- getOption("hinterfeld.desk_copy", 1e5)
  keys <- facts_keys(facts, unlist(table$by), unlist(table$every))
  plain <- all(vapply(table$measures, adds_up_entry, NA))
  can_fork() && (prod(key_sizes(keys)) > limit || !plain && facts$lines > 20 * limit)
}

# The line: jobs by what they make, each with the readers who wait for it and, once it has begun, its copy.
desk_line <- new.env(parent = emptyenv())

# `use` is given what `work` returns, as heard_job() does, unless another choice comes first. `of` is what it is made
# of.
in_copy_of_desk <- function(me, version, of, work, use) {
  key <- rlang::hash(list(rlang::obj_address(me$desk$shared), of))
  job <- desk_line$jobs[[key]]
  if (is.null(job)) {
    job <- list2env(list(work = work, readers = list(), copy = NULL), parent = emptyenv())
    desk_line$jobs[[key]] <- job
  }
  job$readers <- c(job$readers, list(list(me = me, version = version, use = use)))
  me$job <- job
  serve_line()
}

# Begins what there is a processor for, and looks again as long as something is under way.
serve_line <- function() {
  running <- sum(vapply(desk_line$jobs, function(job) !is.null(job$copy), NA))
  for (job in desk_line$jobs) {
    if (is.null(job$copy) && running < min(8L, processors_kernel())) {
      job$copy <- start_copy(job$work)
      running <- running + 1L
    }
  }
  if (running > 0 && !isTRUE(desk_line$looks)) {
    desk_line$looks <- TRUE
    later::later(look_at_line, 0.02)
  }
}

look_at_line <- function() {
  desk_line$looks <- FALSE
  for (key in names(desk_line$jobs)) {
    job <- desk_line$jobs[[key]]
    done <- if (!is.null(job$copy)) suppressWarnings(parallel::mccollect(job$copy, wait = FALSE))
    if (is.null(done)) next
    desk_line$jobs[[key]] <- NULL
    for (reader in job$readers) {
      reader$me$job <- NULL
      use_later(reader, done[[1]] %||% list(error = simpleError("The copy ended.")))
    }
  }
  serve_line()
}

use_later <- function(reader, done) {
  # The next reader of a loop is another one.
  force(reader)
  force(done)
  later_for(reader$me, reader$version, function() reader$use(done), 0)
}

# This reader waits no longer.
end_copy <- function(me) {
  job <- me$job
  me$job <- NULL
  if (is.null(job)) {
    return(invisible())
  }
  job$readers <- Filter(function(reader) !identical(reader$me, me), job$readers)
  if (length(job$readers)) {
    return(invisible())
  }
  if (!is.null(job$copy)) {
    tools::pskill(job$copy$pid, tools::SIGKILL)
    suppressWarnings(parallel::mccollect(job$copy))
  }
  desk_line$jobs <- Filter(function(other) !identical(other, job), desk_line$jobs)
  serve_line()
}

# An answer that a copy has made, with the facts of this process.
answer_of_copy <- function(me, done) {
  made <- value_of_copy(done)
  facts <- counted_facts(me$desk, me$state)
  table <- made$table
  if (!is.null(answer_of(table))) table <- set_answer(table, facts = handle_kernel(facts))
  new_desk_answer(me$state, facts, table, made$notes)
}
