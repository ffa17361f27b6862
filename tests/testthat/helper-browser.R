# A headless browser, spoken to by the WebDriver protocol (W3C).

# `address` is that of a server, or the path of a file. A browser that a test has left is used again.
open_page <- function(address, env = parent.frame(), width = 1280) {
  browsers <- made_once("browsers", new.env())
  free <- Filter(function(name) browsers[[name]]$free, ls(browsers))
  name <- if (length(free)) free[1] else as.character(length(ls(browsers)))
  browser <- browsers[[name]]$browser
  if (is.null(browser)) browser <- new_browser()
  assign(name, list(browser = browser, free = FALSE), browsers)
  withr::defer({
    browser$go("about:blank")
    assign(name, list(browser = browser, free = TRUE), browsers)
  }, envir = env)
  browser$size(width)
  # What a page before this one has said or asked for is not its own.
  for (type in c("browser", "performance")) browser$log(type)
  browser$go(if (grepl("^(http|about):", address)) address else paste0("file://", normalizePath(address)))
  browser
}

new_browser <- function() {
  port <- 20000 + sample(20000, 1)
  driver <- processx::process$new("chromedriver", sprintf("--port=%d", port), cleanup_tree = TRUE)
  reg.finalizer(globalenv(), function(e) driver$kill_tree(), onexit = TRUE)
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
  options <- list(args = list("--headless=new", "--no-sandbox", "--disable-gpu", "--disable-background-networking",
                              "--disable-component-update", "--disable-sync", "--no-first-run"))
  session <- call("POST", "/session", list(capabilities = list(alwaysMatch = list(
    browserName = "chrome", `goog:chromeOptions` = options,
    `goog:loggingPrefs` = list(browser = "ALL", performance = "ALL")
  ))))
  at <- paste0("/session/", session$sessionId)
  list(
    # What a script returns, as R values.
    script = function(code, ...) call("POST", paste0(at, "/execute/sync"), list(script = code, args = list(...))),
    log = function(type) call("POST", paste0(at, "/se/log"), list(type = type)),
    go = function(address) call("POST", paste0(at, "/url"), list(url = address)),
    size = function(width) call("POST", paste0(at, "/window/rect"), list(width = width, height = 900)),
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
