#' The desk: look around in a daybook in the browser
#'
#' Opens a page in the browser for looking around in a daybook, a tally or the data of a brief. At the top is the
#' inquiry as a sentence; click a highlighted part to see the choices for it. It begins with the months of the last year
#' against the year before, and the headline numbers. Below are the figure, the table, what was
#' left out, and whether the table adds up. Select a row, a cell or a mark in the figure to see it described in words
#' and to open the lines behind it. Every state has a link, R code and a brief entry that give the same table.
#'
#' @param facts A daybook, a tally, a brief or the path of one. The daybook is never changed. If the lines of a brief
#'   are too large for memory (more than 2 GB of text, or `options(hinterfeld.in_memory = )` bytes), the desk works from
#'   a tally by day and by every column that the brief's tables and report split by; with a `store` in the brief, only
#'   what is new is read for this. A table of more than 500 000 rows (`options(hinterfeld.desk_rows = )`) is refused
#'   with its number of rows. On Linux, a copy of the process computes what takes long, and ends when its reader chooses
#'   something else, so that one reader does not keep the others waiting.
#' @param port Whole number, 1 to 65535: the port to listen on; `NULL` for one that is free.
#' @param host Text: the address to listen on. On any address other than this machine's own (`"127.0.0.1"`), the page
#'   asks for a token, which is part of the printed address.
#' @param browse Logical: open the page in the browser?
#' @param title Text: the heading of the page.
#' @return Nothing; it runs until it is interrupted.
#' @section Errors: `hinterfeld_error_argument` if `facts` is not one of these, or if the port is invalid or in use, and
#'   those of [read_brief()].
#' @seealso [as_code()], [as_brief()], which the desk shows for each state.
#' @export
#' @examples
#' if (interactive()) open_desk(demo_daybook())
open_desk <- function(facts, port = NULL, host = "127.0.0.1", browse = interactive(), title = NULL) {
  check_text(host, "host")
  check_text(title, "title", none = TRUE)
  check_flag(browse, "browse")
  check_whole_number(port, "port", 1L, 65535L, none = TRUE)
  need_package("shiny", "for the desk")
  need_package("svglite", "to draw the figures of the desk")
  in_plain_session({
    desk <- with_open_sources(desk_of(facts))
    token <- if (!is_loopback(host)) new_token()
    port <- port %||% httpuv::randomPort(host = host)
    warm_up(desk)
    app <- desk_app(desk, title %||% desk_title(desk), token, host)
    # Who listens on all addresses is reached by the name of the computer.
    address <- sprintf("http://%s:%d/%s", if (host %in% c("0.0.0.0", "::")) Sys.info()[["nodename"]] else host, port,
                       if (is.null(token)) "" else paste0("?token=", token))
    # Told when it can be reached, not before.
    ready <- function(url) {
      say("desk", sprintf("The desk is at %s", address), i = "Press Ctrl+C or Esc to close it.")
      open_page_of(address, browse)
    }
    tryCatch(suppressMessages(shiny::runApp(app, port = port, host = host, launch.browser = ready, quiet = TRUE),
                              classes = "packageStartupMessage"),
             interrupt = function(cnd) NULL,
             error = function(cnd) stop_unopened(cnd, port))
  })
  invisible()
}

# What a process does for the first time takes long: it is done before the first reader waits for it.
warm_up <- function(desk) {
  tryCatch({
    answer <- desk_answer(desk, first_state(desk$facts))
    answer_picture(answer, usual_room)
    headline_of(desk)
  }, error = function(cnd) NULL)
}

stop_unopened <- function(cnd, port) {
  if (!grepl("create server|address|port", conditionMessage(cnd))) stop(cnd)
  stop_because("argument", sprintf("The desk cannot listen on port %d: it is in use, or not allowed.", port),
               i = "Give another `port`, or leave it out to use any free port.", call = NULL)
}

open_page_of <- function(address, browse) {
  if (browse) later::later(function() utils::browseURL(address), 0.3)
}

desk_of <- function(facts) {
  if (is_facts(facts)) {
    return(new_desk(facts))
  }
  if (rlang::is_string(facts)) facts <- read_brief(facts)
  if (!inherits(facts, "hinterfeld_brief")) {
    check_facts(facts)
  }
  check_in_order(facts)
  brief_desk(facts)
}

desk_title <- function(desk) {
  desk$brief$content$report$title %||% "Product sales"
}

desk_app <- function(desk, title, token = NULL, host = "127.0.0.1") {
  shiny::addResourcePath("desk", system.file("desk", package = "hinterfeld", mustWork = TRUE))
  page <- desk_page(title, if (!is.null(desk$brief)) brief_states(desk$brief, desk$facts))
  app <- shiny::shinyApp(function(request) {
    given <- token_response(request, token)
    why <- refused_request(request, token, host)
    if (!is.null(given)) given else if (is.null(why)) page else
      refusal_response(why, request, !is.null(token) && grepl("token", why, fixed = TRUE))
  }, desk_server(desk, token, host))
  respond <- app$httpHandler
  app$httpHandler <- function(request) with_desk_headers(respond(request))
  app
}
