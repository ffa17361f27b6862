# The files that a path means: one, several, those of a folder, or those of a pattern.

# Paths of files, each looked at, in the order they are read in: as given, inside a folder or a pattern by name.
source_files <- function(path, call = caller_env()) {
  if (!is.character(path) || length(path) == 0 || anyNA(path) || !all(nzchar(path))) {
    stop_because("argument", "`path` must be text: paths of files, a folder, or a pattern such as \"sales/*.csv\".",
                 x = sprintf("It is %s.", describe(path)), call = call)
  }
  files <- unlist(lapply(path, function(place) {
    if (is_address(place)) {
      fetched_file(place, call)
    } else if (dir.exists(place)) {
      files_of_folder(place, call)
    } else if (grepl("[*?]", place) && !file.exists(place)) {
      files_of_pattern(place, call)
    } else {
      place
    }
  }))
  again <- duplicated(normalizePath(files, mustWork = FALSE))
  if (any(again)) {
    stop_because("file",
                 sprintf("%s is named twice: its lines would count double.", quoted(shown_file(files[again][1]))),
                 i = "Give each file once.", call = call)
  }
  for (file in files) check_file(file, call)
  mention_copies(files)
  files
}

# The same content in two files may be meant, but is not to be missed. Only files of one size are read for it.
mention_copies <- function(files) {
  sizes <- file.size(files)
  alike <- files[sizes %in% sizes[duplicated(sizes)]]
  if (length(alike) == 0) {
    return(invisible())
  }
  hashes <- file_hashes(alike)
  for (hash in unique(hashes[duplicated(hashes)])) {
    same <- file_labels(files)[files %in% alike[hashes == hash]]
    say("same_content",
        sprintf("%s have the same content, and the lines of %s count.", and_list(quoted(same)),
                if (length(same) == 2) "both" else "all of them"), i = "Remove the copy, unless it is meant.")
  }
}

# What is not a table, such as a note about the files, is left alone and named; with `deep` the folders inside count
# too.
files_of_folder <- function(folder, call, deep = FALSE) {
  names <- sort(list.files(folder, recursive = deep), method = "radix")
  inside <- list.dirs(folder, full.names = FALSE, recursive = FALSE)
  inside <- inside[!startsWith(inside, ".")]
  names <- setdiff(names, inside)
  deeper <- sprintf("Read the files in its folders too with \"%s\".", file.path(folder, "**"))
  tables <- grepl(table_endings(), names, ignore.case = TRUE)
  all <- c(names, if (!deep) inside)
  if (!any(tables)) {
    stop_because("file", sprintf("The folder \"%s\" has no table.", folder),
                 x = if (length(all)) sprintf("It holds %s.", examples_of(all)) else "It is empty.",
                 if (length(inside) && !deep) c(i = deeper),
                 i = sprintf("Files of tables end in %s.", examples_of(paste0(".", known_endings()), 20)), call = call)
  }
  if (!all(tables)) {
    say("left_alone",
        sprintf("In \"%s\", %s ignored: %s.", folder,
                if (sum(!tables) == 1) "1 file is" else paste(group_digits(sum(!tables)), "files are"),
                examples_of(names[!tables])))
  }
  if (length(inside) && !deep) {
    say("not_looked_into",
        sprintf("In \"%s\" %s not looked into: %s.", folder,
                if (length(inside) == 1) "1 folder is" else paste(group_digits(length(inside)), "folders are"),
                examples_of(inside)), i = deeper)
  }
  file.path(folder, names[tables])
}

# In a pattern `*` is any name or part of one, `**` any number of folders.
files_of_pattern <- function(pattern, call) {
  steps <- strsplit(pattern, "/", fixed = TRUE)[[1]]
  at <- match("**", steps)
  if (is.na(at)) {
    files <- sort(Sys.glob(pattern), method = "radix")
    files <- files[!dir.exists(files)]
  } else {
    root <- paste(steps[seq_len(at - 1)], collapse = "/")
    roots <- if (root != "") sort(Sys.glob(root), method = "radix") else if (at > 1) "/" else "."
    roots <- roots[dir.exists(roots)]
    rest <- steps[-seq_len(at)]
    if (length(rest) == 0 && length(roots)) {
      return(unlist(lapply(roots, files_of_folder, call = call, deep = TRUE)))
    }
    files <- unlist(lapply(roots, files_below, rest = rest))
  }
  if (length(files) == 0) {
    near <- utils::head(list.files(dirname(pattern)), 5)
    there <- if (length(near)) sprintf("The folder holds %s.", examples_of(near))
    stop_because("file", sprintf("No file matches \"%s\".", pattern),
                 i = there %||% "Its folder is empty or does not exist.",
                 call = call)
  }
  files
}

# The files at any depth whose last steps are like these.
files_below <- function(folder, rest) {
  like <- vapply(utils::glob2rx(rest, trim.tail = FALSE), function(pattern) {
    gsub("^\\^|\\$$", "", gsub(".*", "[^/]*", pattern, fixed = TRUE))
  }, "")
  inside <- sort(list.files(folder, recursive = TRUE), method = "radix")
  file.path(folder, inside[grepl(sprintf("(^|/)%s$", paste(like, collapse = "/")), inside)])
}

# What messages and lines call files: by their names, and where two have one name by the folders that tell them apart.
file_labels <- function(files) {
  labels <- shown_file(files)
  again <- labels %in% labels[duplicated(labels)]
  if (any(again)) {
    steps <- strsplit(gsub("/+", "/", files), "/", fixed = TRUE)
    shared <- 0
    while (length(unique(vapply(steps, `[`, "", shared + 1))) == 1) shared <- shared + 1
    labels[again] <- vapply(steps[again], function(of) paste(utils::tail(of, length(of) - shared), collapse = "/"), "")
  }
  labels
}

# What a message calls the files: one by its name, several by their folder or pattern.
shown_files <- function(files, path) {
  if (length(files) == 1) {
    shown_file(files)
  } else if (length(path) == 1) {
    sprintf("%s (%s)", basename(sub("/[*][*]$", "", path)), count_of(length(files), "file"))
  } else {
    sprintf("%s and %s", shown_file(files[1]), count_of(length(files) - 1, "other file"))
  }
}
