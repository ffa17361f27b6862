# A server of one answer for each path.
serve_answers <- function(env = parent.frame()) {
  port <- 20000 + sample(10000, 1)
  code <- sprintf("httpuv::runServer('127.0.0.1', %d, list(call = function(req) {
    status <- as.integer(sub('^/([0-9]{3})/.*$', '\\\\1', req$PATH_INFO))
    list(status = if (is.na(status)) 200L else status, headers = list(),
         body = if (status %%in%% 204L) '' else 'day,product,revenue\\n2026-03-02,Sieve,12.00\\n')
  }))", port)
  process <- processx::process$new(file.path(R.home("bin"), "Rscript"), c("-e", code), cleanup_tree = TRUE)
  withr::defer(process$kill(), env)
  for (i in 1:100) {
    answer <- try(suppressWarnings(readLines(sprintf("http://127.0.0.1:%d/", port))), silent = TRUE)
    if (!inherits(answer, "try-error")) break
    Sys.sleep(0.1)
  }
  sprintf("127.0.0.1:%d/", port)
}
