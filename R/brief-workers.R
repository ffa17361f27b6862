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
    stop_because("argument", "`workers` must be a whole number from 1.", x = sprintf("It is %s.", if (is.numeric(workers)) toString(workers) else describe(workers)),
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
                 x = sprintf("It is %s.", if (rlang::is_string(url)) quoted(url) else describe(url)), i = example,
                 call = call)
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
crew_profile <- "hinterfeld"

# Starts the workers that are asked for; those that the user has set are there already. NULL for this process alone.
open_crew <- function(workers, lines, call = caller_env()) {
  check_workers(workers, call)
  if (is.null(workers)) {
    return(NULL)
  }
  if (!is.null(lines$database)) {
    say("no_workers", "Lines of a database are read by this process, without workers.")
    return(NULL)
  }
  need_package("mirai", "to use workers", call)
  if (identical(workers, "set")) {
    return(list(profile = NULL, own = FALSE, local = FALSE))
  }
  if (is.list(workers)) {
    mirai::daemons(url = workers$url, tls = workers$tls, .compute = crew_profile)
    command <- as.character(mirai::launch_remote(1, .compute = crew_profile))
    say("workers", sprintf("Waiting for workers at %s.", workers$url),
        i = paste("Start one on each host:", command), command = command)
  } else {
    mirai::daemons(as.integer(workers), .compute = crew_profile)
  }
  crew <- list(profile = crew_profile, own = TRUE, local = !is.list(workers))
  tryCatch(wait_for_workers(crew, call), error = function(cnd) {
    close_crew(crew)
    rlang::cnd_signal(cnd)
  })
  crew
}

close_crew <- function(crew) {
  if (isTRUE(crew$own)) mirai::daemons(0, .compute = crew$profile)
}

workers_there <- function(crew) {
  as.integer(mirai::status(.compute = crew$profile)$connections)
}

wait_for_workers <- function(crew, call) {
  until <- Sys.time() + getOption("hinterfeld.worker_wait", 60)
  while (workers_there(crew) == 0) {
    if (Sys.time() > until) {
      stop_because("workers", sprintf("No worker reported within %s.",
                                      count_of(getOption("hinterfeld.worker_wait", 60), "second")),
                   i = "Start one on each host with the command above.",
                   i = "`options(hinterfeld.worker_wait = )` waits for longer, in seconds.", call = call)
    }
    Sys.sleep(0.05)
  }
}

# The parts counted by workers, largest first; `use` is given each part when all of its ranges are there.
parts_by_workers <- function(crew, brief, source, missing, hashes, readings, use, call) {
  count <- max(1L, workers_there(crew))
  about <- list(run = basename(tempfile()), version = worker_version(), content = brief$content,
                folder = normalizePath(brief$folder), names = source$names, plan = source$plan,
                options = source$options, shown = source$shown, kind = kind_of_file(source$files[1]), readings = readings,
                block = getOption("hinterfeld.block"), unpacked_limit = getOption("hinterfeld.unpacked_limit"),
                threads = if (crew$local) max(1L, threads_wanted() %/% count))
  ranges <- unlist(lapply(missing, function(i) part_ranges(source, i, hashes[i], 4L * count)), recursive = FALSE)
  ranges <- ranges[order(-vapply(ranges, function(range) range$size, 0))]
  waiting <- table(vapply(ranges, function(range) range$hash, ""))
  together <- list()
  done <- 0
  each_result(crew, ranges, about, function(range, part) {
    name <- range$hash
    former <- together[[name]]
    together[[name]] <<- if (is.null(former)) part else merge_stored_parts(former, part)
    waiting[[name]] <<- waiting[[name]] - 1L
    if (waiting[[name]] > 0) {
      return()
    }
    done <<- done + 1
    whole <- replace(together[[name]], "parts", list(name))
    together[[name]] <<- NULL
    say("progress", sprintf("%s counted on %s (%d of %d, %s) ...", range$label, range$host, done, length(missing),
                            count_of(whole$rows, "line")))
    use(whole)
  }, call)
}

# A part in ranges of about equal size, each of whole records: a large file need not be read by one worker.
part_ranges <- function(source, i, hash, most) {
  scan <- source$scans[[i]]
  path <- normalizePath(source$files[i])
  whole <- list(path = path, label = source$labels[i], hash = hash, rows = source$rows[i], before = 0,
                size = file.size(path))
  stretches <- scan$stretches
  if (is.null(stretches) || !is.null(scan$text$temporary)) {
    return(list(whole))
  }
  total <- sum(vapply(source$scans, function(scan) sum(scan$stretches$bytes), 0))
  of <- (cumsum(stretches$bytes) - stretches$bytes / 2) %/% (max(total, 1) / most)
  lapply(split(seq_along(of), of), function(these) {
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

# A few ranges more than there are workers are under way; each result is used in the order of the ranges. One that fails
# is tried again.
each_result <- function(crew, ranges, about, use, call) {
  under_way <- list()
  on.exit(for (job in under_way) mirai::stop_mirai(job$mirai))
  submit <- function(range, again = FALSE) {
    job <- mirai::mirai(asNamespace("hinterfeld")$count_range(range, about), range = range, about = about,
                        .timeout = 1000 * getOption("hinterfeld.worker_timeout", 3600), .compute = crew$profile)
    list(mirai = job, range = range, again = again)
  }
  next_one <- 1
  while (next_one <= length(ranges) || length(under_way)) {
    while (next_one <= length(ranges) && length(under_way) < 2 * max(1, workers_there(crew))) {
      under_way <- c(under_way, list(submit(ranges[[next_one]])))
      next_one <- next_one + 1
    }
    job <- under_way[[1]]
    answer <- awaited(job, crew, call)
    problem <- answer$problem %||% odd_part(answer, job$range)
    if (is.null(problem)) {
      under_way <- under_way[-1]
      use(replace(job$range, "host", answer$host), answer$part)
    } else if (!job$again) {
      say("worker_failed", sprintf("%s is tried again: %s", job$range$label, problem))
      under_way[[1]] <- submit(job$range, again = TRUE)
    } else {
      stop_because(answer$kind %||% "workers", sprintf("%s could not be counted by a worker%s.", job$range$label,
                                                      if (is.null(answer$host)) "" else paste(" on", answer$host)),
                   x = problem, i = "It was tried twice.", call = call)
    }
  }
}

# What a worker answers, or why there is no answer.
awaited <- function(job, crew, call) {
  looked <- Sys.time()
  while (mirai::unresolved(job$mirai)) {
    Sys.sleep(0.01)
    if (Sys.time() - looked > 1) {
      looked <- Sys.time()
      if (workers_there(crew) == 0) {
        # A host may come back, or another one report.
        tryCatch(wait_for_workers(crew, call), hinterfeld_error_workers = function(cnd) {
          stop_because("workers", "All workers are gone.", i = "Run it again; a store keeps what was counted.",
                       call = call)
        })
      }
    }
  }
  answer <- job$mirai$data
  if (mirai::is_mirai_error(answer)) {
    return(list(problem = conditionMessage(attr(answer, "condition", TRUE) %||% simpleError(as.character(answer)))))
  }
  if (mirai::is_error_value(answer)) {
    return(list(problem = if (as.integer(answer) == 5L) "the worker did not answer in time." else
      "the worker ended in the middle of it."))
  }
  if (is.raw(answer$bytes)) {
    answer$part <- tryCatch(parse_stored(answer$bytes), error = function(cnd) NULL)
  }
  answer
}

# Why an answer is not the counted range that was asked for; NULL if it is.
odd_part <- function(answer, range) {
  if (!identical(answer$part$parts, range$hash) || !identical(answer$part$rows, as.double(range$rows))) {
    "what came back is not a tally of it."
  }
}

# In a worker: a range read and counted. What it reads once for all ranges of a run is held from one to the next.
count_range <- function(range, about) {
  host <- Sys.info()[["nodename"]]
  tryCatch({
    if (!identical(about$version, worker_version())) {
      stop_because("workers", sprintf("%s has hinterfeld %s, and this run is by %s.", host,
                                      worker_version()$package, about$version$package))
    }
    options(hinterfeld.threads = about$threads, hinterfeld.block = about$block,
            hinterfeld.unpacked_limit = about$unpacked_limit)
    part <- with_databases(in_plain_session(quietly(counted_range(range, about))))
    list(host = host, bytes = stored_bytes(part))
  }, error = function(cnd) {
    kind <- grep("^hinterfeld_error_", class(cnd), value = TRUE)
    list(host = host, problem = problem_with_causes(cnd),
         kind = if (length(kind)) sub("hinterfeld_error_", "", kind[1]))
  })
}

worker_held <- new.env(parent = emptyenv())

counted_range <- function(range, about) {
  check_file(range$path)
  brief <- list(content = about$content, folder = about$folder)
  if (!identical(worker_held$run, about$run)) {
    worker_held$tables <- attached_tables(brief, columns_of_names(brief$content), columns_used(brief$content))
    worker_held$run <- about$run
  }
  source <- list(kind = source_kinds[[about$kind]], files = range$path, labels = range$label, shown = about$shown,
                 options = about$options, names = about$names, rows = range$rows, plan = about$plan)
  source$scans <- list(range$scan %||% source$kind$scan(range$path, source$options, rlang::current_env(), source$names))
  source$scans[[1]]$stamp <- file_stamps(range$path)
  source$scans[[1]]$before <- range$before
  counted_part(source, 1, range$hash, ways_of_brief(brief, worker_held$tables), about$readings, rlang::current_env())
}
