# The campaign: cases of random lines and random chains, played against SQLite and varied; a failure is made small and
# shown as calls.

for (file in c("lines", "chains", "coverage", "oracle", "changes", "targets", "sights", "play", "endings",
               "variants")) source(file.path(campaign_folder, paste0(file, ".R")), local = TRUE)

# Parts are whole when they are written.
options(hinterfeld.rest = 0)

random_case <- function(seed) {
  set.seed(seed, "Mersenne-Twister", "Inversion", "Rejection")
  made <- random_lines()
  list(seed = seed, made = made, chain = random_chain(made))
}

# What is wrong in a case, NULL where nothing is.
wrong_in <- function(case) {
  set.seed(case$seed)
  place <- call_place(given_lines(case$made))
  # An ending that is refused leaves the table as it was.
  ends <- vapply(case$chain, function(move) move$kind %in% names(endings), NA)
  play(case$made, case$chain, place) %||% tryCatch(
    vary(case$made, case$chain[!ends], answer_in(place)),
    error = function(cnd) paste("variants:", conditionMessage(cnd))
  )
}

# Fewer moves and fewer lines, as long as it stays wrong in the same way.
shrink <- function(case, wrong, find = wrong_in) {
  kind <- function(wrong) gsub("[0-9]+|\"[^\"]*\"|:.*$", "", wrong)
  still <- function(other) {
    found <- tryCatch(find(other), error = function(cnd) NULL)
    !is.null(found) && kind(found) == kind(wrong)
  }
  repeat {
    before <- length(case$chain) + nrow(case$made$lines)
    for (i in rev(seq_along(case$chain))) {
      other <- replace(case, "chain", list(case$chain[-i]))
      if (case$chain[[i]]$kind != "totals" && still(other)) case <- other
    }
    step <- ceiling(nrow(case$made$lines) / 2)
    while (step >= 1) {
      at <- 1
      while (at <= nrow(case$made$lines) && nrow(case$made$lines) > 1) {
        other <- case
        other$made$lines <- case$made$lines[-(at:min(nrow(case$made$lines), at + step - 1)), , drop = FALSE]
        if (nrow(other$made$lines) && still(other)) case <- other else at <- at + step
      }
      step <- step %/% 2
    }
    if (length(case$chain) + nrow(case$made$lines) == before) return(case)
  }
}

# The calls of a case, to be pasted into R.
calls_of <- function(case) {
  assign <- function(move) {
    to <- if (move$kind %in% c("keep", "leave_out")) "book <- " else if (!move$kind %in% names(endings)) "t <- "
    paste0(to, text_of(move$call))
  }
  c(paste("lines <-", text_of(given_lines(case$made))), paste("book <-", text_of(daybook_call(case$made))),
    vapply(case$chain, assign, ""))
}

text_of <- function(x) paste(trimws(deparse(x, width.cutoff = 200)), collapse = " ")

# Exported functions that a case calls.
functions_of <- function(case) {
  intersect(unlist(c(all.names(daybook_call(case$made)), lapply(case$chain, function(move) all.names(move$call)))),
            getNamespaceExports("hinterfeld"))
}

# Plays cases from a seed on: how many, which functions how often, and what failed, made small.
run_campaign <- function(seed, cases, most = 5, say = function(...) NULL) {
  counts <- integer()
  failed <- list()
  for (i in seq_len(cases)) {
    case <- random_case(seed + i)
    used <- functions_of(case)
    counts[setdiff(used, names(counts))] <- 0L
    counts[used] <- counts[used] + 1L
    wrong <- wrong_in(case)
    if (!is.null(wrong)) {
      small <- if (length(failed) < most) tryCatch(shrink(case, wrong), error = function(cnd) case) else case
      failed <- c(failed, list(list(seed = seed + i, wrong = wrong, small = wrong_in(small) %||% wrong,
                                    calls = calls_of(small))))
      say(failed[[length(failed)]])
    }
  }
  list(cases = cases, counts = sort(counts, decreasing = TRUE), failed = failed)
}
