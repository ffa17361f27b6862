# Parts taken by workers: processes of this computer or of other hosts, started and reached by the package mirai. A
# worker is told the name of a part and what to do with its lines, both as plain data; it reads the part where it is and
# returns the bytes of its tallies, which are checked like those of a file.

# The workers that a run asks for: a number of processes, or list(url =, tls =) at which others report; NULL for none.
workers_of <- function(brief) {
  brief$workers %||% brief$content$workers %||% getOption("hinterfeld.workers") %||%
    if (isNamespaceLoaded("mirai") && mirai::daemons_set()) "set"
}

check_workers <- function(workers, call = caller_env()) {
  if (is.null(workers) || identical(workers, "set")) {
    return(invisible())
  }
  if (is.list(workers)) {
    return(check_url(workers$url, call))
  }
  if (!rlang::is_integerish(workers, 1, finite = TRUE) || workers < 1) {
    stop_because("argument", "`workers` must be a whole number from 1.",
                 x = sprintf("It is %s.", describe(workers)),
                 i = sprintf("This computer has %s.", count_of(parallel::detectCores(), "processor")),
                 i = "Leave it out and one process does everything.", call = call)
  }
}

# Lines and tallies travel over it: encrypted as soon as it leaves this computer, and never open to everybody.
check_url <- function(url, call = caller_env()) {
  form <- "^(tcp|tls[+]tcp|ws|wss)://(\\[[^]]*\\]|[^:/]*):[0-9]+(/.*)?$"
  example <- "For example `url: \"tls+tcp://10.0.0.5:5700\"`."
  if (!rlang::is_string(url) || !grepl(form, url)) {
    stop_because("argument", "The `url` of workers must be a scheme, this host's address and a port.",
                 x = sprintf("It is %s.", describe(url)), i = example, call = call)
  }
  host <- sub(form, "\\2", url)
  if (host %in% c("", "*", "0.0.0.0", "[::]", "[::0]")) {
    stop_because("argument", sprintf("\"%s\" would listen to everybody.", url),
                 i = "Name the address of this host that the other hosts reach.", i = example, call = call)
  }
  if (!grepl("^(tls|wss)", url) && !host %in% c("localhost", "127.0.0.1", "[::1]")) {
    stop_because("argument", sprintf("\"%s\" is not encrypted, and is not an address of this computer.", url),
                 i = "Use `tls+tcp://` or `wss://`.", call = call)
  }
}

# The profile of mirai under which the workers of a run are started, so that those of the user stay theirs.
worker_profile <- "hinterfeld"

# Starts the workers that are asked for; those that the user has set are there already. NULL for this process alone.
start_workers <- function(asked, lines, brief, call = caller_env()) {
  check_workers(asked, call)
  if (is.null(asked)) {
    return(NULL)
  }
  alone <- if (!is.null(lines$database)) why_alone(lines, brief)
  if (!is.null(alone)) {
    say("no_workers", sprintf("%s is read by this process, without workers: %s", lines$shown, alone[1]), i = alone[2])
    return(NULL)
  }
  need_package("mirai", "to use workers", call)
  if (identical(asked, "set")) {
    return(list(profile = NULL, own = FALSE, local = FALSE))
  }
  if (is.list(asked)) {
    mirai::daemons(url = asked$url, tls = asked$tls, .compute = worker_profile)
    command <- as.character(mirai::launch_remote(1, .compute = worker_profile))
    say("workers", sprintf("Waiting for workers at %s.", asked$url),
        i = paste("Start one on each host:", command), command = command)
  } else {
    mirai::daemons(as.integer(asked), .compute = worker_profile)
  }
  workers <- list(profile = worker_profile, own = TRUE, local = !is.list(asked))
  ready <- FALSE
  on.exit(if (!ready) stop_workers(workers))
  wait_for_workers(workers, call)
  ready <- TRUE
  workers
}

# Why the workers cannot read a table of a database, and what to do; NULL if they can. Each has a connection of its own:
# only PostgreSQL shows all of them the same moment.
why_alone <- function(lines, brief) {
  if (!inherits(database_named(lines$database), "PqConnection")) {
    c("only tables of PostgreSQL are read by workers.", "Leave out the workers, or export the lines to files.")
  } else if (is.null(part_column(lines, brief))) {
    c("no column divides it into parts.",
      "Name a column of days, or one of whole numbers: `parts: {order_id: 100000}`.")
  }
}

stop_workers <- function(workers) {
  if (isTRUE(workers$own)) mirai::daemons(0, .compute = workers$profile)
}

workers_there <- function(workers) {
  as.integer(mirai::status(.compute = workers$profile)$connections)
}

wait_for_workers <- function(workers, call) {
  until <- Sys.time() + getOption("hinterfeld.worker_wait", 60)
  while (workers_there(workers) == 0) {
    if (Sys.time() > until) {
      stop_because("workers", sprintf("No worker reported within %s.",
                                      count_of(getOption("hinterfeld.worker_wait", 60), "second")),
                   i = "Start one on each host with the command above.",
                   i = "`options(hinterfeld.worker_wait = )` waits for longer, in seconds.", call = call)
    }
    Sys.sleep(0.05)
  }
}

# What a task needs to know of the run.
about_run <- function(workers, brief, ...) {
  list(run = paste(Sys.getpid(), format(Sys.time(), "%H:%M:%OS6")), version = worker_version(), content = brief$content,
       spellings = brief$spellings,
       folder = normalizePath(brief$folder), block = getOption("hinterfeld.block"),
       unpacked_limit = getOption("hinterfeld.unpacked_limit"),
       threads = if (workers$local) max(1L, threads_wanted() %/% max(1L, workers_there(workers))), ...)
}

# Files of text looked at by workers: their scans by path.
scans_by_workers <- function(workers, brief, files, options, wanted, call) {
  scans <- list()
  if (is.null(workers) || length(files) == 0 || !identical(kind_of_file(files[1]), "text")) {
    return(scans)
  }
  about <- about_run(workers, brief, options = options, wanted = wanted)
  tasks <- lapply(files[order(-file.size(files))], function(file) {
    list(path = normalizePath(file), label = shown_file(file))
  })
  each_result(workers, "scan_part", tasks, about, odd_scan, function(task, answer) {
    scans[[task$path]] <<- answer$scan
  }, call)
  scans
}

# Why an answer is not what a scan finds; NULL if it is.
odd_scan <- function(answer, task) {
  scan <- answer$scan
  held <- is.list(scan) && is.character(scan$names) && rlang::is_scalar_double(scan$rows) &&
    all(lengths(scan$profile) == length(scan$names)) && identical(sum(scan$stretches$records), scan$rows)
  if (!held) "what came back is not what a file of text has."
}

# The parts counted by workers, largest first; `use` is given each part when all of its ranges are there. Where no store
# wants each by itself, a worker merges what it counts for one task.
parts_by_workers <- function(workers, brief, source, missing, hashes, readings, use, call) {
  of_table <- is.null(source$files)
  about <- about_run(workers, brief, names = source$names, plan = source$plan, options = source$options,
                     shown = source$shown, readings = readings,
                     kind = if (!of_table) kind_of_file(source$files[1]), odd = source$listed$odd,
                     merged = is.null(brief$open_store),
                     snapshot = if (of_table) shared_snapshot(source$scans[[1]]$con))
  most <- 4L * max(1L, workers_there(workers))
  ranges <- if (of_table) slot_ranges(source, missing, hashes[missing], most) else
    unlist(lapply(missing, function(i) part_ranges(source, i, hashes[i], most)), recursive = FALSE)
  if (!of_table) ranges <- range_tasks(ranges, if (about$merged) most else Inf)
  ranges <- ranges[order(-vapply(ranges, function(range) range$size, 0))]
  waiting <- table(unlist(lapply(ranges, function(range) range$hash)))
  together <- list()
  done <- 0
  counted <- function(range, answer, parts, rows) {
    done <<- done + parts
    say("progress", sprintf("%s counted on %s (%d of %d, %s) ...", range$label, answer$host, done, length(missing),
                            count_of(rows, "line")))
  }
  each_result(workers, if (of_table) "count_slots" else "count_ranges", ranges, about, odd_parts,
              function(range, answer) {
    for (name in range$hash) waiting[[name]] <<- waiting[[name]] - 1L
    if (about$merged) {
      counted(range, answer, sum(waiting[unique(range$hash)] == 0), answer$parts[[1]]$rows)
      return(use(answer$parts[[1]]))
    }
    whole <- list()
    for (part in answer$parts) {
      name <- part$parts
      former <- together[[name]]
      together[[name]] <<- if (is.null(former)) part else merge_stored_parts(former, part)
      if (waiting[[name]] == 0) {
        whole <- c(whole, list(replace(together[[name]], "parts", list(name))))
        together[[name]] <<- NULL
      }
    }
    if (length(whole) == 0) {
      return()
    }
    counted(range, answer, length(whole), sum(vapply(whole, function(part) part$rows, 0)))
    for (part in whole) use(part)
  }, call)
  for (scan in source$scans[missing]) if (!is.null(scan$stamp)) check_unchanged(scan$path, scan$stamp, call)
}

# Which of about `most` shares of the `total` each of these is in, so that neighbours stay together.
about_equal <- function(sizes, most, total = sum(sizes)) {
  (cumsum(sizes) - sizes / 2) %/% (max(total, 1) / most)
}

# Ranges of files in tasks of about the same size: small files go together.
range_tasks <- function(ranges, most) {
  of <- if (is.finite(most)) about_equal(vapply(ranges, function(range) range$size, 0), most) else seq_along(ranges)
  unname(lapply(split(ranges, of), function(these) {
    field <- function(name, of) vapply(these, function(range) range[[name]], of)
    labels <- unique(field("label", ""))
    list(label = paste(unique(labels[c(1, length(labels))]), collapse = " to "), ranges = unname(these),
         hash = unname(field("hash", "")), rows = unname(field("rows", 0)), size = sum(field("size", 0)))
  }))
}

# Parts of a table in ranges of about as many lines.
slot_ranges <- function(source, missing, hashes, most) {
  rows <- source$rows[missing]
  lapply(split(seq_along(missing), about_equal(rows, most)), function(these) {
    parts <- missing[these]
    list(label = paste(unique(source$labels[range(parts)]), collapse = " to "), hash = hashes[these],
         rows = rows[these], slots = source$listed$slot[parts], size = sum(rows[these]))
  })
}

# A part in ranges of about equal size, each of whole records: a large file need not be read by one worker.
part_ranges <- function(source, i, hash, most) {
  scan <- source$scans[[i]]
  path <- normalizePath(source$files[i])
  whole <- list(path = path, label = source$labels[i], hash = hash, rows = source$rows[i], before = 0,
                size = file.size(path))
  stretches <- scan$stretches
  if (is.null(stretches) || isTRUE(scan$packed) || !is.null(scan$text$temporary)) {
    return(list(whole))
  }
  total <- sum(vapply(source$scans, function(scan) sum(scan$stretches$bytes), 0))
  lapply(split(seq_along(stretches$bytes), about_equal(stretches$bytes, most, total)), function(these) {
    scan[c("text", "profile", "taken", "stamp")] <- list(NULL)
    scan$path <- path
    scan$stretches <- lapply(stretches, `[`, these)
    before <- sum(utils::head(stretches$records, these[1] - 1))
    replace(whole, c("rows", "before", "size", "scan"),
            list(sum(scan$stretches$records), before, sum(scan$stretches$bytes), scan))
  })
}

# What must be the same here and there.
worker_version <- function() {
  list(package = as.character(utils::packageVersion("hinterfeld")), form = c(store_version, tally_version))
}

# Each task done by a worker's function `work`. A few tasks more than there are workers are under way; the results are
# used in the order of the tasks, unless they are `odd`. One that fails is tried again, by another worker if there is
# one: the worker that failed declines it, and is kept busy while it is given out.
each_result <- function(workers, work, tasks, about, odd, use, call) {
  under_way <- list()
  late <- list()
  on.exit(for (one in c(late, unlist(lapply(under_way, function(job) job$mirais), FALSE))) mirai::stop_mirai(one))
  submit <- function(task, former = NULL) {
    worker <- task$not_by
    # One for each worker, so that it takes one too.
    for (i in seq_len(if (is.null(worker)) 0 else workers_there(workers))) {
      mirai::mirai(asNamespace("hinterfeld")$keep_busy(worker), worker = worker, .compute = workers$profile)
    }
    job <- mirai::mirai(asNamespace("hinterfeld")$worker_answer(work, task, about), work = work, task = task,
                        about = about, .timeout = 1000 * getOption("hinterfeld.worker_timeout", 3600),
                        .compute = workers$profile)
    list(mirais = c(former$mirais, list(job)), task = task, again = !is.null(former), since = Sys.time())
  }
  next_one <- 1
  usual <- NULL
  while (next_one <= length(tasks) || length(under_way)) {
    while (next_one <= length(tasks) && length(under_way) < 2 * max(1, workers_there(workers))) {
      under_way <- c(under_way, list(submit(tasks[[next_one]])))
      next_one <- next_one + 1
    }
    job <- under_way[[1]]
    answer <- awaited(under_way, workers, usual, call)
    problem <- answer$problem %||% if (!isTRUE(answer$declined)) odd(answer, job$task)
    # What is wrong with the lines is wrong everywhere.
    if (!is.null(answer$kind) && !answer$kind %in% c("file", "database", "workers", "package")) {
      abort(problem, class = c(paste0("hinterfeld_error_", answer$kind), "hinterfeld_error"), call = call)
    }
    if (isTRUE(answer$declined)) {
      job$task$declined <- (job$task$declined %||% 0) + 1
      under_way[[1]] <- submit(job$task, list())
    } else if (is.null(problem)) {
      under_way <- under_way[-1]
      late <- c(late, Filter(mirai::unresolved, job$mirais))
      usual <- max(usual, seconds_of(job))
      use(job$task, answer)
    } else if (!job$again) {
      say("worker_failed", sprintf("%s is tried again: %s", job$task$label, problem))
      if (workers_there(workers) > 1) job$task$not_by <- answer$worker
      # One that is only late goes on: the first answer is used.
      under_way[[1]] <- submit(job$task, if (isTRUE(answer$late)) job else list())
    } else {
      stop_because(answer$kind %||% "workers", sprintf("%s could not be counted by a worker%s.", job$task$label,
                                                      if (is.null(answer$host)) "" else paste(" on", answer$host)),
                   x = problem, i = "It was tried twice.", call = call)
    }
  }
}

# The first of its tries that is answered; one that failed only when all have.
answered_mirai <- function(job) {
  done <- Filter(function(mirai) !mirai::unresolved(mirai), job$mirais)
  sound <- Filter(function(mirai) !mirai::is_error_value(mirai$data), done)
  if (length(sound)) sound[[1]] else if (length(done) == length(job$mirais)) done[[1]]
}

seconds_of <- function(job) {
  as.numeric(Sys.time() - job$since, units = "secs")
}

# What the worker of the first task answers, or why there is no answer. A host that is cut off says nothing: it has
# failed if it takes many times the `usual` seconds, and others have answered meanwhile.
awaited <- function(under_way, workers, usual, call) {
  job <- under_way[[1]]
  looked <- Sys.time()
  while (is.null(answered <- answered_mirai(job))) {
    Sys.sleep(0.01)
    if (Sys.time() - looked > 1) {
      looked <- Sys.time()
      if (workers_there(workers) == 0) {
        # A host may come back, or another one report.
        tryCatch(wait_for_workers(workers, call), hinterfeld_error_workers = function(cnd) {
          stop_because("workers", "All workers are gone.", i = "Run it again; a store keeps what was counted.",
                       call = call)
        })
      }
      if (is.null(usual)) {
        done <- Filter(function(other) !is.null(answered_mirai(other)), under_way[-1])
        if (length(done)) usual <- max(vapply(done, seconds_of, 0))
      }
      if (!job$again && !is.null(usual) &&
          seconds_of(job) > max(getOption("hinterfeld.worker_patience", 60), 5 * usual)) {
        return(list(problem = "the worker said nothing while others answered.", late = TRUE))
      }
    }
  }
  answer <- answered$data
  if (mirai::is_mirai_error(answer)) {
    return(list(problem = conditionMessage(attr(answer, "condition", TRUE) %||% simpleError(as.character(answer)))))
  }
  if (mirai::is_mirai_interrupt(answer)) {
    return(list(problem = "the worker was interrupted."))
  }
  if (mirai::is_error_value(answer)) {
    return(list(problem = if (as.integer(answer) == 5L) "the worker did not answer in time." else
      "the worker ended in the middle of it."))
  }
  if (is.list(answer$bytes)) {
    answer$parts <- lapply(answer$bytes, function(bytes) {
      if (is.raw(bytes)) tryCatch(parse_stored(bytes), error = function(cnd) NULL)
    })
  }
  answer
}

# Why an answer is not the counted range that was asked for; NULL if it is.
odd_parts <- function(answer, range) {
  hashes <- unlist(lapply(answer$parts, function(part) part$parts))
  rows <- unlist(lapply(answer$parts, function(part) part$rows))
  # What came back as one is known by all that it is made of.
  merged <- length(rows) < length(range$hash)
  asked <- if (merged) list(sort(range$hash), sum(range$rows)) else list(range$hash, as.double(range$rows))
  if (!identical(list(if (merged) sort(hashes) else hashes, rows), asked)) {
    "what came back is not a tally of it."
  }
}

# In a worker: a task done, or what is wrong with it.
worker_answer <- function(work, task, about) {
  host <- Sys.info()[["nodename"]]
  if (identical(task$not_by, this_worker()) && (task$declined %||% 0) < 50) {
    return(list(declined = TRUE))
  }
  tryCatch({
    if (!identical(about$version, worker_version())) {
      stop_because("workers", sprintf("%s has hinterfeld %s, and this run is by %s.", host,
                                      worker_version()$package, about$version$package))
    }
    options(hinterfeld.threads = about$threads, hinterfeld.block = about$block,
            hinterfeld.unpacked_limit = about$unpacked_limit)
    works <- list(scan_part = scan_part, count_ranges = count_ranges, count_slots = count_slots)
    c(list(host = host), with_open_sources(in_plain_session(quietly(works[[work]](task, about)))))
  }, error = function(cnd) {
    kind <- grep("^hinterfeld_error_", class(cnd), value = TRUE)
    list(host = host, worker = this_worker(), problem = problem_with_causes(cnd),
         kind = if (length(kind)) sub("hinterfeld_error_", "", kind[1]))
  })
}

this_worker <- function() {
  paste(Sys.info()[["nodename"]], Sys.getpid())
}

keep_busy <- function(worker) {
  if (identical(worker, this_worker())) Sys.sleep(0.3)
}

scan_part <- function(task, about) {
  check_file(task$path)
  scan <- source_kinds$text$scan(task$path, about$options, rlang::current_env(), about$wanted)
  scan$packed <- !is.null(scan$text$temporary)
  remove_temporary(scan$text$temporary)
  scan[c("text", "stamp")] <- list(NULL)
  list(scan = scan)
}

# What is read once for all ranges of a run is held from one to the next.
worker_held <- new.env(parent = emptyenv())

count_ranges <- function(task, about) {
  in_bytes(lapply(task$ranges, count_range, about = about), about)
}

# What goes back: the parts, or all of them as one.
in_bytes <- function(parts, about) {
  force(parts)
  if (about$merged) {
    merger <- new_merger(merge_stored_parts)
    for (part in parts) merger$put(part)
    parts <- list(merger$all())
  }
  list(bytes = lapply(parts, stored_bytes))
}

count_range <- function(range, about) {
  check_file(range$path)
  source <- list(kind = source_kinds[[about$kind]], files = range$path, labels = range$label, shown = about$shown,
                 options = about$options, names = about$names, rows = range$rows, plan = about$plan)
  source$scans <- list(range$scan %||% source$kind$scan(range$path, source$options, rlang::current_env(), source$names))
  source$scans[[1]]$stamp <- file_stamps(range$path)
  source$scans[[1]]$before <- range$before
  counted_parts(source, range, about)[[1]]
}

count_slots <- function(range, about) {
  brief <- list(content = about$content, folder = about$folder)
  lines <- parse_file_entry(about$content$data$lines, brief)
  source <- open_found_parts(database_named(lines$database, about$snapshot), lines$table,
                             rlang::new_quosure(about$names, rlang::empty_env()), about$options,
                             part_column(lines, brief),
                             list(slot = range$slots, n = range$rows, stamp = "", odd = about$odd))
  on.exit(source$close())
  source$plan <- about$plan
  in_bytes(counted_parts(in_runs(source, seq_along(range$slots)), range, about), about)
}

counted_parts <- function(source, range, about) {
  brief <- list(content = about$content, folder = about$folder, spellings = about$spellings)
  if (!identical(worker_held$run, about$run)) {
    worker_held$tables <- attached_tables(brief, columns_of_names(brief$content), columns_used(brief$content))
    worker_held$run <- about$run
  }
  ways <- ways_of_brief(brief, worker_held$tables)
  lapply(seq_along(range$hash), function(i) {
    counted_part(source, i, range$hash[i], ways, about$readings, rlang::current_env())
  })
}
