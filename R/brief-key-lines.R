# The line of each key of a YAML text. The parser tells values but not their lines; this reads indents, dashes and
# keys only, and trusts the parser for everything else.

# A data frame of `path` (keys and places in sequences, joined by " > ") and `line`.
yaml_lines <- function(text) {
  keys <- list(path = character(), line = integer())
  frames <- list()
  pending <- character()
  note <- function(path, line) {
    keys$path[[length(keys$path) + 1]] <<- paste(path, collapse = " > ")
    keys$line[[length(keys$line) + 1]] <<- line
  }
  i <- 1L
  while (i <= length(text)) {
    line <- text[i]
    indent <- nchar(sub("^( *).*$", "\\1", line))
    rest <- substring(line, indent + 1)
    next_line <- i + 1L
    if (!grepl("^(#|---|[.][.][.]|%|$)", rest)) {
      repeat {
        dash <- grepl("^-( |$)", rest)
        frames <- open_frames(frames, indent, dash)
        opens <- length(frames) == 0 || top(frames)$indent < indent || dash && !top(frames)$dash
        if (opens) {
          frames <- c(frames, list(list(indent = indent, dash = dash, path = pending, n = 0L)))
        }
        if (dash) {
          at <- length(frames)
          frames[[at]]$n <- frames[[at]]$n + 1L
          pending <- c(frames[[at]]$path, frames[[at]]$n)
          note(pending, i)
          gap <- nchar(sub("^(- *).*$", "\\1", rest))
          rest <- substring(rest, gap + 1)
          indent <- indent + gap
          if (grepl("^(#|$)", rest)) break
          next
        }
        key <- yaml_key(rest)
        if (is.null(key)) {
          next_line <- note_flow(text, i, rest, pending, note)
          break
        }
        pending <- c(top(frames)$path, key$key)
        note(pending, i)
        if (grepl("^[|>]", key$rest)) {
          next_line <- after_block(text, i, indent)
        } else {
          next_line <- note_flow(text, i, key$rest, pending, note)
        }
        break
      }
    }
    i <- next_line
  }
  data.frame(path = as.character(keys$path), line = as.integer(keys$line))
}

top <- function(frames) {
  frames[[length(frames)]]
}

# Frames that are still open at this indent. A sequence may stand at the indent of the key it belongs to, and ends
# where that indent holds a key again.
open_frames <- function(frames, indent, dash) {
  while (length(frames) && (top(frames)$indent > indent || top(frames)$indent == indent && top(frames)$dash && !dash)) {
    frames <- frames[-length(frames)]
  }
  frames
}

yaml_key <- function(rest) {
  pieces <- regmatches(rest, regexec("^(\"[^\"]*\"|'[^']*'|[^][{}\"'#,][^#]*?) *:( +(.*))?$", rest, perl = TRUE))[[1]]
  if (length(pieces)) list(key = gsub("^[\"']|[\"']$", "", pieces[2]), rest = pieces[4])
}

# The first line after a block of text.
after_block <- function(text, i, indent) {
  i <- i + 1L
  while (i <= length(text) && (grepl("^ *$", text[i]) || nchar(sub("^( *).*$", "\\1", text[i])) > indent)) i <- i + 1L
  i
}

# Keys inside { } and [ ], which may go on over several lines. Gives the line after.
note_flow <- function(text, i, rest, path, note) {
  if (!grepl("^[[{]", rest)) {
    return(i + 1L)
  }
  stack <- list()
  repeat {
    tokens <- regmatches(rest,
                         gregexpr("\"[^\"]*\"|'[^']*'|[][{},]|:(?= |$)|#.*$|[^][{},:\"'#]+|:", rest, perl = TRUE))[[1]]
    tokens <- trimws(tokens[!grepl("^#", tokens)])
    tokens <- tokens[tokens != ""]
    for (k in seq_along(tokens)) {
      token <- tokens[k]
      if (token %in% c("{", "[")) {
        inside <- if (length(stack)) top(stack)$at else path
        stack <- c(stack, list(list(map = token == "{", path = inside, at = inside, n = 0L)))
        if (token == "[") stack <- next_item(stack, i, note)
      } else if (token %in% c("}", "]")) {
        stack <- stack[-length(stack)]
        if (length(stack) == 0) {
          return(i + 1L)
        }
      } else if (token == ",") {
        if (!top(stack)$map) stack <- next_item(stack, i, note)
      } else if (k < length(tokens) && tokens[k + 1] == ":") {
        # A key may stand in a sequence without braces of its own.
        inside <- c(top(stack)$path, if (!top(stack)$map) top(stack)$n)
        stack[[length(stack)]]$at <- c(inside, gsub("^[\"']|[\"']$", "", token))
        note(top(stack)$at, i)
      }
    }
    i <- i + 1L
    if (i > length(text)) {
      return(i)
    }
    rest <- text[i]
  }
}

next_item <- function(stack, i, note) {
  at <- length(stack)
  stack[[at]]$n <- stack[[at]]$n + 1L
  stack[[at]]$at <- c(stack[[at]]$path, stack[[at]]$n)
  note(stack[[at]]$at, i)
  stack
}
