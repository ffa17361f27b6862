# JSON from files. It is looked at before it is parsed: the parser of some versions takes what is no JSON for the
# pattern of its own message, and a percent sign in it ends R.

# Nested lists; NULL for what is no JSON.
parsed_json <- function(text) {
  if (isTRUE(jsonlite::validate(text))) jsonlite::parse_json(text)
}

# The same of a file; NULL where it cannot be read.
file_json <- function(path) {
  bytes <- readBin(path, "raw", file.size(path))
  if (any(bytes == 0)) {
    return(NULL)
  }
  text <- rawToChar(bytes)
  Encoding(text) <- "UTF-8"
  if (validUTF8(text)) parsed_json(text)
}
