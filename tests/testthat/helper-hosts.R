# Hosts with addresses of their own on this computer, as network namespaces: list(address =, run =, cut =), or NULL
# where these cannot be made.
local_hosts <- function(count, env = parent.frame()) {
  ip <- function(...) processx::run("ip", c(...), error_on_status = FALSE)$status == 0
  id <- paste(sample(letters, 6), collapse = "")
  net <- sample(16:200, 1)
  bridge <- paste0("br", id)
  if (!nzchar(Sys.which("ip")) || !ip("link", "add", bridge, "type", "bridge")) {
    return(NULL)
  }
  withr::defer(ip("link", "del", bridge), env)
  address <- sprintf("10.199.%d.%d", net, seq_len(count + 1))
  made <- ip("addr", "add", paste0(address[1], "/24"), "dev", bridge) && ip("link", "set", bridge, "up")
  hosts <- paste0("h", seq_len(count), id)
  withr::defer(for (host in hosts) ip("netns", "del", host), env)
  for (i in seq_len(count)) {
    host <- hosts[i]
    within <- c("netns", "exec", host, "ip")
    made <- made && ip("netns", "add", host) &&
      ip("link", "add", host, "type", "veth", "peer", "name", "eth0", "netns", host) &&
      ip("link", "set", host, "master", bridge, "up") && ip(within, "link", "set", "lo", "up") &&
      ip(within, "addr", "add", paste0(address[i + 1], "/24"), "dev", "eth0") &&
      ip(within, "link", "set", "eth0", "up")
  }
  if (!made) {
    return(NULL)
  }
  list(address = address[1],
       run = function(i, command, ...) {
         processx::process$new("ip", c("netns", "exec", hosts[i], "sh", "-c", command), ...)
       },
       cut = function(i) ip("link", "set", hosts[i], "down"))
}
