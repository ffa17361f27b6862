# Who may read a desk: pages of this machine alone; with an address that others reach, whoever has the token.

loopback_hosts <- c("127.0.0.1", "localhost", "[::1]", "::1")

is_loopback <- function(host) {
  host %in% loopback_hosts
}

# The reason why a request is refused; NULL where it is not. A page of another site must not reach the desk through a
# host name that it points at this machine, nor open a socket to it.
refused_request <- function(request, token, host) {
  named <- sub(":[0-9]+$", "", request$HTTP_HOST %||% "")
  if (is_loopback(host) && !named %in% loopback_hosts) {
    return("This desk answers to this machine only.")
  }
  origin <- request$HTTP_ORIGIN
  if (!is.null(origin) && !identical(sub("^https?://", "", origin), request$HTTP_HOST)) {
    return("This desk answers to its own page only.")
  }
  if (!is.null(token) && !identical(cookie_token(request), token)) {
    return("This desk needs its token: open the full address that was printed when it started.")
  }
  NULL
}

# Browsers send the cookies of a host to all of its ports, so each desk has its own name.
cookie_name <- function(request) {
  paste0("desk-", sub("^.*:", "", request$HTTP_HOST %||% ""))
}

cookie_token <- function(request) {
  pairs <- strsplit(trimws(strsplit(request$HTTP_COOKIE %||% "", ";", fixed = TRUE)[[1]]), "=", fixed = TRUE)
  own <- Filter(function(pair) length(pair) == 2 && pair[1] == cookie_name(request), pairs)
  if (length(own)) own[[1]][2]
}

# The token comes once in the address, and is then kept by the browser, so that no link that is passed on holds it.
token_response <- function(request, token) {
  asked <- shiny::parseQueryString(request$QUERY_STRING %||% "")
  if (is.null(token) || !identical(asked$token, token)) {
    return(NULL)
  }
  inquiry <- if (rlang::is_string(asked$inquiry)) {
    paste0("?inquiry=", utils::URLencode(asked$inquiry, reserved = TRUE))
  }
  shiny::httpResponse(303L, "text/plain", "", headers = list(
    Location = paste0("./", inquiry),
    `Set-Cookie` = sprintf("%s=%s; HttpOnly; SameSite=Strict; Path=/", cookie_name(request), token)
  ))
}

# Who lacks the token can enter it; an inquiry in the address goes along.
refusal_response <- function(why, request = list(), asks = FALSE) {
  inquiry <- shiny::parseQueryString(request$QUERY_STRING %||% "")$inquiry
  form <- if (asks) paste0(
    "<form method=\"get\"><label>Token <input name=\"token\" autocomplete=\"off\"></label> ",
    if (rlang::is_string(inquiry)) sprintf("<input type=\"hidden\" name=\"inquiry\" value=\"%s\">", escape(inquiry)),
    "<button>Open the desk</button></form>"
  )
  page <- paste0("<!DOCTYPE html><html lang=\"en\"><title>Refused</title><p>", escape(why), "</p>", form, "</html>")
  shiny::httpResponse(403L, "text/html; charset=UTF-8", page, headers = list(
    `Content-Security-Policy` = "default-src 'none'; form-action 'self'; frame-ancestors 'none'"
  ))
}

# Every response forbids foreign scripts, frames and guesses, and tells no other site its address.
desk_headers <- list(
  `Content-Security-Policy` = paste(
    "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:;",
    "connect-src 'self' ws: wss:; font-src 'self'; form-action 'none'; base-uri 'none'; frame-ancestors 'none'"
  ),
  `X-Content-Type-Options` = "nosniff", `Referrer-Policy` = "no-referrer"
)

with_desk_headers <- function(response) {
  if (inherits(response, "httpResponse")) {
    response$headers <- utils::modifyList(desk_headers, as.list(response$headers))
  }
  response
}

new_token <- function() {
  paste(format(as.raw(openssl::rand_bytes(16))), collapse = "")
}
