# What comes from outside, played at random: addresses, folders, lengths, options and copies of the process. Each gives
# texts that say what went wrong.

border_sales <- "day,product,region,revenue\n2026-03-02,Sieve,Vale,12.00\n2026-03-03,Jug,Fen,3.50\n"

said_by <- function(code) {
  said <- character()
  error <- tryCatch(withCallingHandlers({
    force(code)
    NULL
  }, message = function(cnd) {
    said <<- c(said, conditionMessage(cnd))
    invokeRestart("muffleMessage")
  }), error = identity)
  list(text = paste(c(said, if (!is.null(error)) conditionMessage(error)), collapse = "\n"), error = error)
}

# An error that is not in words of our own.
odd_error <- function(said, what) {
  if (!is.null(said$error) && !inherits(said$error, "hinterfeld_error")) sprintf("%s: %s", what, said$text)
}

# Everything below a folder: paths, kinds, links and contents.
state_of_folder <- function(folder) {
  files <- sort(list.files(folder, recursive = TRUE, all.files = TRUE, include.dirs = TRUE, no.. = TRUE))
  paths <- file.path(folder, files)
  links <- Sys.readlink(paths)
  plain <- !nzchar(links) & !dir.exists(paths) & vapply(paths, function(path) utils::file_test("-f", path), NA)
  held <- paste("link or folder", links)
  held[plain] <- tools::md5sum(paths[plain])
  stats::setNames(held, files)
}

# Addresses of a server at `host`, with a secret in each: nothing outside changes, nothing stays behind, and nobody
# reads the secret.
play_addresses <- function(count, host) {
  steps <- c("..", ".", "%2e%2e", "a", "sales.csv", "may%20sales.csv", "%2F", "..%2F..%2Fdocs%2Fx.txt", "50%.csv",
             "%00", "a%00b.csv", "~", "*", "$HOME", "%5C", "x.parquet", "x.xlsx", "%ff%fe", strrep("y", 300),
             "\u00e4.csv", "a b", "%0d%0a", "con", "-rf", "'", "\"", "`id`", "", "204", "206", "404", "@", ":", "#",
             "?", "&", "%", "%2", "x.csv.gz")
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  dir.create("docs")
  writeLines("kept", "docs/x.txt")
  before <- state_of_folder(folder)
  left <- function() sort(list.files(tempdir(), "^([.]part|folder)", all.files = TRUE))
  temporary <- left()
  unlist(lapply(seq_len(count), function(i) {
    path <- paste(sample(steps, sample(4, 1), TRUE), collapse = sample(c("/", "", "//"), 1))
    url <- paste0(sample(c("http", "HTTP", "https", "ftp", "file"), 1, prob = c(20, 3, 1, 1, 1)), "://",
                  sample(c("maria:s3cret@", "s3cret@", "maria:s3/cret@", "maria:s3?cret@", "maria:s3#cret@"), 1), host,
                  path, sample(c("", "?token=s3cret", "#s3cret", "?a=1&s3cret=b"), 1))
    said <- said_by(load_table(url))
    brief <- file.path(tempdir(), "borders.yaml")
    writeLines(c("brief: 1", sprintf("data: {lines: %s}", jsonlite::toJSON(url, auto_unbox = TRUE)),
                 "daybook: {day: day, product: product, revenue: revenue}", "tables: {t: {by: product}}"), brief)
    checked <- said_by(text <- format(check_brief(brief)))
    unlink(brief)
    c(if (!identical(state_of_folder(folder), before)) sprintf("%s changed the folder", url),
      if (!identical(left(), temporary)) sprintf("%s left something", url),
      if (grepl("cret@|s3cret|maria", paste(c(said$text, checked$text, text), collapse = "\n"))) {
        sprintf("%s is shown: %s", url, said$text)
      }, odd_error(said, url), odd_error(checked, url))
  }))
}

# Output folders and stores with entries of every kind: what no run made stays, wherever it leads.
play_folders <- function(count) {
  unlist(lapply(seq_len(count), function(i) {
    place <- withr::local_tempdir()
    outside <- file.path(place, "outside")
    job <- file.path(place, "job")
    for (folder in c(outside, job)) dir.create(folder)
    writeLines("theirs", file.path(outside, "kept.txt"))
    writeLines(border_sales, file.path(job, "sales.csv"), sep = "")
    brief <- file.path(job, "job.yaml")
    target <- sample(c("out", "sub/out", ".", "./", "..", "../outside", "linked", "linked/x", "dangling", "sub/../..",
                       "out/"), 1)
    store <- sample(c("kept", "out", "linked", "../outside", "sub"), 1)
    file.symlink(outside, file.path(job, "linked"))
    file.symlink(file.path(place, "nowhere"), file.path(job, "dangling"))
    writeLines(c("brief: 1", "data: {lines: sales.csv}", "daybook: {day: day, product: product, revenue: revenue}",
                 "tables: {t: {by: product}}", if (sample(2, 1) == 1) sprintf("store: %s", store),
                 sprintf("outputs: {folder: %s}", target)), brief)
    entries <- sample(c("notes.txt", ".hidden", "pipe", "link", "dead", "inner", "other.part", "x.png"), sample(0:5, 1))
    out <- file.path(job, "out")
    for (folder in c(out, file.path(job, "sub"))) {
      dir.create(folder)
      for (entry in entries) {
        at <- file.path(folder, entry)
        switch(entry, pipe = system2("mkfifo", shQuote(at)), link = file.symlink(outside, at),
               dead = file.symlink("nowhere", at), inner = dir.create(at), writeLines("theirs", at))
      }
    }
    there <- function() {
      paths <- c(file.path(out, entries), file.path(job, "sub", entries))
      all(file.exists(paths) | nzchar(Sys.readlink(paths)) %in% TRUE) &&
        identical(readLines(file.path(outside, "kept.txt")), "theirs")
    }
    before <- state_of_folder(outside)
    said <- c(lapply(1:2, function(turn) said_by(run_brief(brief, again = turn == 2))),
              list(said_by(stored_parts(file.path(job, store), clear = TRUE)),
                   said_by(stored_parts(file.path(job, "sub"), clear = TRUE))))
    what <- sprintf("folder %s, store %s, entries %s", target, store, paste(entries, collapse = " "))
    c(if (!there()) sprintf("%s: something of theirs is gone", what),
      if (!identical(state_of_folder(outside), before)) sprintf("%s: written outside", what),
      unlist(lapply(said, odd_error, what)),
      grep("part-[0-9]+$", list.files(job, all.files = TRUE, recursive = TRUE, include.dirs = TRUE), value = TRUE))
  }))
}

# Expressions some of whose parts have another length than the lines: an error, or one right value for each line.
play_lengths <- function(count) {
  operands <- list(quote(revenue), quote(head(revenue, 2)), quote(max(revenue)), quote(rev(revenue)), 2, quote(c(1, 2)),
                   quote(seq_along(revenue)), quote(units), quote(sum(units)), quote(revenue[-1]))
  unlist(lapply(seq_len(count), function(i) {
    n <- sample(2:6, 1)
    lines <- data.frame(day = "2026-01-05", product = letters[seq_len(n)], revenue = sample(999, n) / 100,
                        units = sample(9, n, TRUE))
    book <- daybook(lines, day, revenue, product, units = units)
    parts <- sample(operands, 2, TRUE)
    flag <- sample(c(TRUE, FALSE), sample(c(1, 2, n), 1), TRUE)
    expr <- switch(sample(5, 1), call("+", parts[[1]], parts[[2]]), call("ifelse", quote(flag), parts[[1]], parts[[2]]),
                   call("*", parts[[1]], parts[[2]]), call("pmin", parts[[1]], parts[[2]]),
                   call("ifelse", call(">", parts[[1]], 3), parts[[2]], 0))
    env <- list2env(list(flag = flag), parent = globalenv())
    made <- rlang::new_quosure(expr, env)
    wants <- function(part) length(eval(part, lines, env)) == n || length(eval(part, lines, env)) == 1 &&
      !any(all.vars(part) %in% names(lines))
    held <- Filter(function(part) is.call(part) || is.symbol(part) || is.numeric(part), as.list(expr)[-1])
    sound <- all(vapply(held, wants, NA)) && all(vapply(held, function(part) {
      !is.call(part) || !identical(part[[1]], quote(`>`)) || wants(part[[2]])
    }, NA))
    values <- if (sound) {
      as_long <- lapply(as.list(expr)[-1], function(part) rep_len(eval(part, lines, env), n))
      do.call(as.character(expr[[1]]), as_long)
    }
    or_none <- function(code) tryCatch(suppressMessages(code), hinterfeld_error = function(cnd) NULL)
    column <- or_none(lines_of(extend_lines(book, m = !!made))$m)
    measure <- or_none(totals(book, measures = list(m = sum_of(!!made)))$m)
    what <- sprintf("%s with a flag of %d over %d lines", deparse(expr), length(flag), n)
    c(if (is.null(column) != is.null(values)) sprintf("%s: %s", what, if (sound) "refused" else "accepted"),
      if (!is.null(column) && !is.null(values) && !isTRUE(all.equal(column, values))) {
        sprintf("%s: other values", what)
      },
      if (is.null(measure) != is.null(column)) sprintf("%s: the measure differs from the column", what),
      if (!is.null(measure) && !is.null(column) && !isTRUE(all.equal(measure, sum(column)))) {
        sprintf("%s: another sum", what)
      })
  }))
}

# Options given twice, without a value, or by the beginning of their name, through run(args): the exit code is 2.
play_options <- function(count, run) {
  file <- withr::local_tempfile(fileext = ".csv")
  writeLines(border_sales, file, sep = "")
  once <- list(by = c("product", "region"), every = c("day", "month"), top = c("1", "2"), decimals = c("1", "2"),
               measures = c("revenue", "lines"), sort = c("product", "-revenue"), rows = c("3", "all"), of = "revenue",
               within = "region")
  unlist(lapply(seq_len(count), function(i) {
    name <- sample(names(once), 1)
    given <- function(name, value) {
      if (sample(2, 1) == 1) sprintf("--%s=%s", name, value) else c(paste0("--", name), value)
    }
    args <- switch(sample(4, 1),
      c(given(name, sample(once[[name]], 1)), "--csv", given(name, sample(once[[name]], 1))), sprintf("--%s=", name),
      c("--csv", "--csv"), c(paste0("--", substr(name, 1, 1)), once[[name]][1])
    )
    code <- run(c("totals", file, args))
    if (!identical(code, 2L)) sprintf("%s: exit code %s", paste(args, collapse = " "), code)
  }))
}

# Copies of this process that total, while other packages have threads.
play_forks <- function(count) {
  lines <- data.frame(day = "2026-01-05", product = rep(c("a", "b"), 1e5), revenue = 1.25)
  total <- function(...) totals(daybook(lines, day, revenue, product), by = product)$revenue
  here <- total()
  unlist(lapply(seq_len(count), function(i) {
    jobs <- lapply(1:2, function(k) parallel::mcparallel(total()))
    done <- parallel::mccollect(jobs, wait = TRUE, timeout = 60)
    if (!all(vapply(done, identical, NA, here))) sprintf("copies %d: other totals, or none", i)
  }))
}
