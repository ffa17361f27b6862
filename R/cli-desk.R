# hinterfeld desk: a page on which to look around.

cli_desk <- function(args) {
  given <- cli_options(
    "desk", list(flag("demo", "the made-up Kilnmoor brief"),
                 option("port", "the port to listen on [default: one that is free]", "N"),
                 option("host", "the address to listen on [default: %default]", "ADDRESS", "127.0.0.1"),
                 flag("address-only", "print the address of the page without opening it")), args,
    files = c(0, 1), of = "BRIEF", example = c("hinterfeld desk monthly.yaml", "hinterfeld desk --demo --port 8080")
  )
  if (is.null(given)) {
    return(invisible())
  }
  if (length(given$files) == 0 && !given$demo) {
    stop_because("usage", "hinterfeld desk: BRIEF is missing; use --demo to look at made-up data.")
  }
  open_desk(if (given$demo) demo_brief() else given$files, given$port, given$host, !given[["address-only"]])
}
