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
  expect_match(refused(ask("desk.example:80", cookie = "desk=00"), token, "0.0.0.0"), "needs its token")
  expect_null(refused(ask("desk.example:80", cookie = paste0("a=b; desk=", token)), token, "0.0.0.0"))
})

test_that("the token is taken once from the address and kept by the browser", {
  token <- new_token()
  answer <- token_response(list(QUERY_STRING = paste0("?token=", token)), token)
  expect_identical(answer$status, 303L)
  expect_match(answer$headers[["Set-Cookie"]], "HttpOnly; SameSite=Strict")
  expect_null(token_response(list(QUERY_STRING = "?token=x"), token))
  expect_null(token_response(list(QUERY_STRING = "?token=x"), NULL))
})
