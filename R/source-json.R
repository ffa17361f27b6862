# JSON from files. It is looked at before it is parsed: the parser of some versions takes what is not JSON for the
# pattern of its own message, a percent sign in it ends R, and so may lists in lists in lists.

deepest_json <- 100

# Nested lists; NULL for what is not JSON, or is nested deeper than anything of ours.
parsed_json <- function(text) {
  bare <- charToRaw(gsub("\"(?:[^\"\\\\]++|\\\\.)*+\"", "", text, perl = TRUE))
  steps <- (bare == charToRaw("[") | bare == charToRaw("{")) - (bare == charToRaw("]") | bare == charToRaw("}"))
  if (max(0, cumsum(steps)) <= deepest_json && isTRUE(jsonlite::validate(text))) jsonlite::parse_json(text)
}

# The same of a file; NULL if it cannot be read.
file_json <- function(path) {
  if (file_kind_kernel(path.expand(path)) != "file") {
    return(NULL)
  }
  bytes <- readBin(path, "raw", file.size(path))
  if (any(bytes == 0)) {
    return(NULL)
  }
  text <- rawToChar(bytes)
  Encoding(text) <- "UTF-8"
  if (validUTF8(text)) parsed_json(text)
}
