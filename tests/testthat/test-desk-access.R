test_that("only pages of this machine are answered, and elsewhere only with the token", {
  refused <- refused_request
  ask <- function(host, origin = NULL, cookie = NULL) {
    rlang::env(HTTP_HOST = host, HTTP_ORIGIN = origin, HTTP_COOKIE = cookie)
  }
  expect_null(refused(ask("127.0.0.1:80"), NULL, "127.0.0.1"))
  expect_null(refused(ask("localhost:80", "http://localhost:80"), NULL, "127.0.0.1"))
  expect_match(refused(ask("evil.example:80"), NULL, "127.0.0.1"), "this machine only")
  expect_match(refused(ask("127.0.0.1:80", "http://evil.example"), NULL, "127.0.0.1"), "its own page only")
  token <- new_token()
  expect_match(token, "^[0-9a-f]{32}$")
  expect_false(token == new_token())
  expect_match(refused(ask("desk.example:80"), token, "0.0.0.0"), "needs its token")
  expect_match(refused(ask("desk.example:80", cookie = paste0("desk-81=", token)), token, "0.0.0.0"), "needs its token")
  expect_null(refused(ask("desk.example:80", cookie = paste0("a=b; desk-80=", token)), token, "0.0.0.0"))
  # The whole value, of the whole name.
  wrong <- c(paste0("desk-80=", token, "00"), paste0("my-desk-80=", token), paste0("desk-80=", substr(token, 2, 32)))
  for (cookie in wrong) {
    expect_match(refused(ask("desk.example:80", cookie = cookie), token, "0.0.0.0"), "needs its token")
  }
})

test_that("the token is taken once from the address and kept by the browser", {
  token <- new_token()
  answer <- token_response(list(QUERY_STRING = paste0("?token=", token), HTTP_HOST = "desk.example:80"), token)
  expect_identical(answer$status, 303L)
  expect_match(answer$headers[["Set-Cookie"]], paste0("^desk-80=", token, ";"))
  expect_identical(answer$headers$Location, "./")
  with_inquiry <- token_response(list(QUERY_STRING = paste0("?inquiry=%7B%7D&token=", token)), token)
  expect_identical(with_inquiry$headers$Location, "./?inquiry=%7B%7D")
  expect_match(answer$headers[["Set-Cookie"]], "HttpOnly; SameSite=Strict")
  expect_null(token_response(list(QUERY_STRING = "?token=x"), token))
  expect_null(token_response(list(QUERY_STRING = "?token=x"), NULL))
})

test_that("who lacks the token can enter it, and keeps the inquiry of the link", {
  page <- refusal_response("No token.", list(QUERY_STRING = "?inquiry=%7B%22%3E%3Cb%3E"), TRUE)
  expect_identical(page$status, 403L)
  expect_match(page$content, "name=\"token\"", fixed = TRUE)
  expect_match(page$content, "name=\"inquiry\" value=\"{&quot;&gt;&lt;b&gt;\"", fixed = TRUE)
  expect_no_match(refusal_response("Another site.")$content, "<form")
  response <- with_desk_headers(shiny::httpResponse(200L, content = "", headers = list(`X-Own` = "1")))
  expect_match(response$headers[["Content-Security-Policy"]], "frame-ancestors 'none'", fixed = TRUE)
  expect_identical(unlist(response$headers[c("X-Content-Type-Options", "Referrer-Policy", "X-Own")], use.names = FALSE),
                   c("nosniff", "no-referrer", "1"))
})
