# A brief of some parts and the outputs of one process.
parted_job <- function(env = parent.frame(), ...) {
  folder <- stored_brief(env = env, ...)
  for (i in 1:3) write_part(folder, sprintf("%d.csv", i), i, 150 * i)
  folder
}

run_by <- function(folder, workers, ...) {
  quiet(run_brief(file.path(folder, "job.yaml"), into = file.path(folder, "out"), again = TRUE, workers = workers, ...))
}

expect_same_outputs <- function(run, other) {
  hashes <- lapply(list(run, other), function(of) vapply(of$outputs, function(x) paste(x$file, x$sha256), ""))
  expect_identical(hashes[[1]], hashes[[2]])
  expect_identical(run[c("lines", "audit", "headline")], other[c("lines", "audit", "headline")])
}

# Workers of the user, in which a function of the package is another; `flag` is a file that each may use once.
broken_workers <- function(name, instead, count = 1, flag = tempfile(), env = parent.frame()) {
  file.create(flag)
  mirai::daemons(count)
  withr::defer(mirai::daemons(0), env)
  while (mirai::status()$connections < count) Sys.sleep(0.02)
  said <- mirai::everywhere({
    package <- asNamespace("hinterfeld")
    former <- package[[name]]
    once <- function() file.rename(flag, paste0(flag, Sys.getpid()))
    environment(instead) <- environment()
    unlockBinding(name, package)
    assign(name, instead, package)
    name
  }, name = name, instead = instead, flag = flag)
  # The workers must be ready for it.
  for (one in said) expect_identical(mirai::call_mirai(one)$data, name)
}

test_that("any number of workers, and any cut of the parts, give the bytes of one process", {
  # Figures and a report too where there is time for them.
  folder <- parted_job(light = !thorough())
  alone <- run_by(folder, NULL)
  # Large ranges, and ranges of some records or, where there is time, of a few.
  for (workers in list(1, 2, 4)[some_of(3, 1)]) {
    withr::local_options(hinterfeld.block = sample(c(if (thorough()) 500, 4000, 2^25), 1))
    unlink(file.path(folder, "kept"), recursive = TRUE)
    expect_same_outputs(run_by(folder, workers, store = file.path(folder, "kept")), alone)
    expect_false(mirai::daemons_set("hinterfeld"))
  }
  # One process finds what workers have counted.
  expect_message(run_brief(file.path(folder, "job.yaml"), into = file.path(folder, "out"), again = TRUE,
                           store = file.path(folder, "kept")), "3 parts are kept, 0 to read", fixed = TRUE) |> quiet()
})

test_that("a brief and the command line ask for workers too", {
  folder <- parted_job()
  job <- file.path(folder, "job.yaml")
  alone <- run_by(folder, NULL)
  writeLines(c(readLines(job), "workers: 1"), job)
  expect_identical(nrow(check_brief(job)), 0L)
  said <- run_cli("run", job, "--out", file.path(folder, "out"), "--again")$stderr
  expect_match(said, "counted on .* \\(3 of 3")
  expect_same_outputs(quiet(run_brief(job, into = file.path(folder, "out"), again = TRUE)), alone)
  asked <- c("totals", file.path(folder, "sales"), "--by", "shop", "--revenue", "pieces", "--set-aside", "--csv",
             "--quiet")
  expect_identical(run_cli(asked, "--workers", "1")$stdout, run_cli(asked)$stdout)
  expect_identical(run_cli("run", job, "--workers", "0")$status, 2L)
})

test_that("a worker that is killed in the middle costs its range a second try, and nothing counts twice", {
  folder <- parted_job()
  alone <- run_by(folder, NULL)
  broken_workers("counted_part", function(...) {
    if (once()) tools::pskill(Sys.getpid(), 9)
    former(...)
  }, count = 2)
  expect_message(run <- run_brief(file.path(folder, "job.yaml"), into = file.path(folder, "out"), again = TRUE),
                 "is tried again: the worker ended in the middle") |> quiet()
  expect_same_outputs(run, alone)
  # So does one that is interrupted.
  broken_workers("counted_part", function(...) {
    if (once()) rlang::interrupt()
    former(...)
  }, count = 2)
  expect_message(run <- run_brief(file.path(folder, "job.yaml"), into = file.path(folder, "out"), again = TRUE),
                 "is tried again: the worker was interrupted") |> quiet()
  expect_same_outputs(run, alone)
})

if (thorough()) test_that("what one worker cannot do is done by another", {
  folder <- parted_job()
  alone <- run_by(folder, NULL)
  broken_workers("counted_part", function(...) {
    if (once()) options(broken = TRUE)
    if (isTRUE(getOption("broken"))) stop("the disk is gone")
    former(...)
  }, count = 2)
  expect_message(run <- run_brief(file.path(folder, "job.yaml"), into = file.path(folder, "out"), again = TRUE),
                 "is tried again: the disk is gone") |> quiet()
  expect_same_outputs(run, alone)
})

if (thorough()) test_that("what fails twice, comes late or is of another version or part is told with part and host", {
  folder <- parted_job()
  host <- Sys.info()[["nodename"]]
  fails <- function(pattern, name, instead) {
    broken_workers(name, instead)
    cnd <- tryCatch(run_by(folder, NULL), error = identity)
    expect_s3_class(cnd$parent, "hinterfeld_error_workers")
    expect_match(conditionMessage(cnd$parent), pattern)
    expect_match(conditionMessage(cnd$parent), "[123][.]csv could not be counted")
    mirai::daemons(0)
  }
  another <- sprintf("hinterfeld 99.1, and this run is by %s", utils::packageVersion("hinterfeld"))
  cases <- list(
    list(another, "worker_version", function() list(package = "99.1", form = 0L)),
    list("not what a file of text has", "scan_part", function(...) list(scan = list(names = 3))),
    list("not a tally of it", "counted_part", function(...) replace(former(...), "parts", list("another"))),
    list(paste0("by a worker on ", host, ".*the disk is gone"), "counted_part", function(...) stop("the disk is gone"))
  )
  for (case in cases) rlang::exec(fails, !!!case)
  withr::local_options(hinterfeld.worker_timeout = 0.3)
  fails("did not answer in time", "counted_part", function(...) Sys.sleep(20))
})

test_that("what is wrong with the lines is told as one process tells it", {
  folder <- parted_job()
  job <- file.path(folder, "job.yaml")
  writeLines(sub(", on_bad: set_aside", "", readLines(job), fixed = TRUE), job)
  problems <- lapply(list(NULL, 1), function(workers) {
    tryCatch(run_by(folder, workers), error = function(cnd) cnd$parent)
  })
  for (cnd in problems) {
    expect_s3_class(cnd, "hinterfeld_error_unusable_lines")
    expect_match(conditionMessage(cnd), "cannot be used")
  }
  expect_no_match(conditionMessage(problems[[2]]), "worker|again|twice")
})

test_that("a path that only one host has is told with the host", {
  about <- list(version = hinterfeld:::worker_version())
  answer <- hinterfeld:::worker_answer("count_ranges", list(ranges = list(list(path = "/nowhere/1.csv"))), about)
  expect_identical(answer$host, Sys.info()[["nodename"]])
  expect_match(answer$problem, "There is no file \"/nowhere/1.csv\"", fixed = TRUE)
  expect_identical(answer$kind, "file")
})

# The address of this host for workers, and what starts one: on hosts of their own where such can be made.
worker_hosts <- function(env = parent.frame()) {
  hosts <- local_hosts(2, env)
  here <- function(...) c("current", R_LIBS = paste(.libPaths(), collapse = ":"), ...)
  started <- list()
  withr::defer(for (process in started) process$kill_tree(), env)
  list(url = sprintf("tls+tcp://%s:%d", hosts$address %||% "127.0.0.1", httpuv::randomPort()), apart = !is.null(hosts),
       start = function(i, command, before = "", ...) {
         command <- paste(before, command)
         process <- if (is.null(hosts)) processx::process$new("sh", c("-c", command), env = here(...)) else
           hosts$run(i, command, env = here(...))
         started[[i]] <<- process
         process
       }, cut = hosts$cut)
}

if (thorough()) test_that("workers of other hosts report encrypted; one that is cut off costs a second try", {
  folder <- parted_job()
  alone <- run_by(folder, NULL)
  # The first worker is slow, and then its host or its process is gone.
  slow <- withr::local_tempfile(fileext = ".R", lines = c(
    "setHook(packageEvent(\"hinterfeld\", \"onLoad\"), function(...) {", "  package <- asNamespace(\"hinterfeld\")",
    "  former <- package$counted_part", "  unlockBinding(\"counted_part\", package)",
    "  assign(\"counted_part\", function(...) {", "    Sys.sleep(60)", "    former(...)", "  }, package)", "})"
  ))
  withr::local_options(hinterfeld.worker_patience = 1.5)
  hosts <- worker_hosts()
  late <- 0
  first <- NULL
  run <- quiet(withCallingHandlers(
    run_brief(file.path(folder, "job.yaml"), into = file.path(folder, "out"), again = TRUE,
              workers = list(url = hosts$url)),
    hinterfeld_message_workers = function(cnd) {
      first <<- hosts$start(1, cnd$command, R_PROFILE_USER = slow)
      hosts$start(2, cnd$command)
    },
    hinterfeld_message_worker_failed = function(cnd) {
      late <<- late + 1
      if (hosts$apart) hosts$cut(1) else first$kill_tree()
    }
  ))
  expect_same_outputs(run, alone)
  expect_lte(late, 1)
  withr::local_options(hinterfeld.worker_wait = 0.2)
  expect_error(run_by(folder, list(url = hosts$url)), class = "hinterfeld_error_run")
  expect_false(mirai::daemons_set("hinterfeld"))
})

if (thorough()) test_that("a full disk of a worker is told with its folder, and nothing is half delivered", {
  folder <- parted_job()
  run_by(folder, NULL)
  former <- rlang::hash_file(file.path(folder, "out", "run.json"))
  sales <- file.path(folder, "sales")
  write_part(folder, "1.csv", 1, 20000)
  processx::run("gzip", file.path(sales, "1.csv"))
  # A disk of its own, where it can be made.
  hosts <- worker_hosts()
  full <- if (hosts$apart) "mount -t tmpfs -o size=300k none /mnt && TMPDIR=/mnt" else "ulimit -f 200 &&"
  cnd <- tryCatch(quiet(withCallingHandlers(
    run_brief(file.path(folder, "job.yaml"), into = file.path(folder, "out"), again = TRUE,
              workers = list(url = hosts$url)),
    hinterfeld_message_workers = function(cnd) hosts$start(1, cnd$command, full)
  )), error = identity)
  expect_match(conditionMessage(cnd$parent), "1.csv.gz could not be unpacked or converted", fixed = TRUE)
  expect_match(conditionMessage(cnd$parent), "by a worker on|Make room in")
  expect_identical(rlang::hash_file(file.path(folder, "out", "run.json")), former)
})

test_that("workers that cannot be are refused", {
  job <- demo_brief()
  for (workers in list(0, -1, 1.5, "two", list(url = "here"), list(url = "tls+tcp://0.0.0.0:5700"),
                       list(url = "tcp://10.0.0.5:5700"), list(url = "tcp://[::]:1"))) {
    expect_error(run_brief(job, workers = workers), class = "hinterfeld_error_argument")
  }
  expect_snapshot(error = TRUE, {
    run_brief(job, workers = 0)
    run_brief(job, workers = list(url = "tcp://10.0.0.5:5700"))
    run_brief(job, workers = list(url = "tcp://0.0.0.0:5700"))
  }, transform = function(lines) sub("has [0-9]+ processors?", "has N processors", lines))
})
