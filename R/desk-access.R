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

cookie_token <- function(request) {
  text <- request$HTTP_COOKIE %||% ""
  cookies <- regmatches(text, regexpr("(?<=desk=)[0-9a-f]+", text, perl = TRUE))
  if (length(cookies)) cookies
}

# The token comes once in the address, and is then kept by the browser, so that no link that is passed on holds it.
token_response <- function(request, token) {
  asked <- shiny::parseQueryString(request$QUERY_STRING %||% "")$token
  if (is.null(token) || !identical(asked, token)) {
    return(NULL)
  }
  shiny::httpResponse(303L, "text/plain", "", headers = list(
    Location = "./", `Set-Cookie` = sprintf("desk=%s; HttpOnly; SameSite=Strict; Path=/", token)
  ))
}

refusal_response <- function(why) {
  page <- sprintf("<!DOCTYPE html><html lang=\"en\"><title>Refused</title><p>%s</p></html>", escape(why))
  shiny::httpResponse(403L, "text/html; charset=UTF-8", page, headers = list(
    `Content-Security-Policy` = "default-src 'none'"
  ))
}

new_token <- function() {
  paste(format(as.raw(openssl::rand_bytes(16))), collapse = "")
}
