# A headless browser, spoken to by the WebDriver protocol (W3C).

# `address` is that of a server, or the path of a file.
open_page <- function(address, env = parent.frame(), width = 1280) {
  port <- 20000 + sample(20000, 1)
  driver <- processx::process$new("chromedriver", sprintf("--port=%d", port), cleanup_tree = TRUE)
  withr::defer(driver$kill_tree(), envir = env)
  call <- function(method, where, body = NULL) {
    handle <- curl::new_handle(customrequest = method)
    if (!is.null(body)) curl::handle_setopt(handle,
                                            postfields = jsonlite::toJSON(body, auto_unbox = TRUE, null = "null"))
    answer <- curl::curl_fetch_memory(sprintf("http://127.0.0.1:%d%s", port, where), handle)
    jsonlite::fromJSON(rawToChar(answer$content), simplifyVector = FALSE)$value
  }
  for (try in 1:50) {
    if (isTRUE(tryCatch(call("GET", "/status")$ready, error = function(cnd) FALSE))) break
    Sys.sleep(0.1)
  }
  options <- list(args = list("--headless=new", "--no-sandbox", "--disable-gpu",
                              sprintf("--window-size=%d,900", width)))
  session <- call("POST", "/session", list(capabilities = list(alwaysMatch = list(
    browserName = "chrome", `goog:chromeOptions` = options,
    `goog:loggingPrefs` = list(browser = "ALL", performance = "ALL")
  ))))
  at <- paste0("/session/", session$sessionId)
  withr::defer(call("DELETE", at), envir = env)
  go <- function(address) call("POST", paste0(at, "/url"), list(url = address))
  go(if (grepl("^(http|about):", address)) address else paste0("file://", normalizePath(address)))
  list(
    # What a script returns, as R values.
    script = function(code, ...) call("POST", paste0(at, "/execute/sync"), list(script = code, args = list(...))),
    log = function(type) call("POST", paste0(at, "/se/log"), list(type = type)),
    go = go,
    back = function() call("POST", paste0(at, "/back"), structure(list(), names = character())),
    press = function(key) {
      actions <- lapply(c("keyDown", "keyUp"), function(type) list(type = type, value = key))
      call("POST", paste0(at, "/actions"), list(actions = list(list(type = "key", id = "keys", actions = actions))))
    },
    picture = function(path) writeBin(jsonlite::base64_dec(call("GET", paste0(at, "/screenshot"))), path)
  )
}

# Addresses the page asked for over a network.
network_requests <- function(page) {
  messages <- lapply(page$log("performance"),
                     function(entry) jsonlite::fromJSON(entry$message, simplifyVector = FALSE)$message)
  asked <- Filter(function(message) message$method == "Network.requestWillBeSent", messages)
  urls <- vapply(asked, function(message) message$params$request$url, "")
  urls[!grepl("^(file|data):", urls)]
}
