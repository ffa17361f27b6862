# Checks a brief's form against its JSON Schema: the keywords that the schema uses, with messages for people.

# Read once: every brief is checked against it.
brief_schema <- function() {
  if (is.null(schemas$brief)) schemas$brief <- jsonlite::read_json(schema_path())
  schemas$brief
}

schemas <- new.env(parent = emptyenv())

form_problems <- function(parsed) {
  if (!is.null(parsed$problems)) {
    return(parsed$problems)
  }
  schema <- brief_schema()
  with_lines(schema_problems(parsed$content, schema, character(), schema), yaml_lines(parsed$text))
}

schema_problems <- function(value, rule, path, schema) {
  rule <- followed_rule(rule, schema)
  if (!is.null(rule$anyOf)) {
    fits <- Filter(function(branch) is_type(value, branch_types(branch, schema)), rule$anyOf)
    if (length(fits) == 0) {
      return(type_problem(value, unlist(lapply(rule$anyOf, branch_types, schema = schema)), path))
    }
    # Of several forms of keys, the one whose needed key is there.
    meant <- Filter(function(branch) unlist(followed_rule(branch, schema)$required)[1] %in% names(value), fits)
    return(schema_problems(value, c(meant, fits)[[1]], path, schema))
  }
  if (!is.null(rule$enum)) {
    return(enum_problem(value, rule$enum, path))
  }
  if (!is_type(value, unlist(rule$type))) {
    return(type_problem(value, unlist(rule$type), path))
  }
  switch(value_type(value),
    object = object_problems(value, rule, path, schema),
    array = array_problems(value, rule, path, schema),
    scalar_problems(value, rule, path)
  )
}

followed_rule <- function(rule, schema) {
  while (!is.null(rule[["$ref"]])) rule <- schema[["$defs"]][[sub("^#/[$]defs/", "", rule[["$ref"]])]]
  rule
}

branch_types <- function(branch, schema) {
  branch <- followed_rule(branch, schema)
  if (!is.null(branch$anyOf)) {
    return(unlist(lapply(branch$anyOf, branch_types, schema = schema)))
  }
  if (!is.null(branch$enum)) unique(vapply(branch$enum, value_type, "")) else unlist(branch$type)
}

value_type <- function(value) {
  if (is.null(value)) {
    "null"
  } else if (is.list(value)) {
    if (is.null(names(value))) "array" else "object"
  } else if (is.character(value)) {
    "string"
  } else if (is.logical(value)) {
    "boolean"
  } else if (is.numeric(value) && is.finite(value) && value == round(value)) {
    "integer"
  } else {
    "number"
  }
}

is_type <- function(value, types) {
  type <- value_type(value)
  is.null(types) || type %in% types || type == "integer" && "number" %in% types
}

type_words <- c(
  object = "a mapping (keys with values)", array = "a list", string = "text", boolean = "true or false",
  integer = "a whole number",
  number = "a number", null = "nothing"
)

type_problem <- function(value, types, path) {
  type <- value_type(value)
  if (type == "null") {
    if (length(path) == 0) {
      return(new_problem(path, "The brief is empty.",
                         "Begin with `hinterfeld new`, or see the help of `read_brief()`."))
    }
    return(new_problem(path, "This key has no value.",
                       sprintf("Give it %s, or remove the key.", either(type_words[unique(types)]))))
  }
  new_problem(path, sprintf("This must be %s.", either(type_words[unique(types)])),
              sprintf("It is %s.", value_words(value)))
}

value_words <- function(value) {
  if (is.list(value)) {
    return(type_words[[value_type(value)]])
  }
  sprintf("%s, %s", type_words[[value_type(value)]], if (is.character(value)) quoted(value) else tolower(format(value)))
}

either <- function(x) {
  sub(" and ([^,]*)$", " or \\1", and_list(unname(x)))
}

enum_problem <- function(value, choices, path) {
  same <- vapply(choices, function(choice) identical(value_type(value), value_type(choice)) && value == choice, NA)
  if (any(same)) {
    return(no_problems())
  }
  if (is.null(value)) {
    return(type_problem(value, vapply(choices, value_type, ""), path))
  }
  texts <- vapply(choices, function(choice) if (is.logical(choice)) tolower(choice) else as.character(choice), "")
  new_problem(path, sprintf("This cannot be %s.", if (is.character(value)) quoted(value) else value_words(value)),
              paste(c(
    did_you_mean(value, texts, "\""),
    sprintf("Choose %s%s.", if (length(texts) > 1) "one of " else "",
            examples_of(texts, 20, if (is.character(choices[[1]])) '"' else ""))
  ), collapse = " "))
}

object_problems <- function(value, rule, path, schema) {
  keys <- names(rule$properties)
  others <- rule$additionalProperties
  unknown <- if (isFALSE(others)) setdiff(names(value), keys)
  lacking <- setdiff(unlist(rule$required), names(value))
  problems <- c(
    lapply(unknown, unknown_key, keys = keys, path = path),
    lapply(lacking, function(key) new_problem(path, sprintf("`%s` is missing.", key))),
    lapply(setdiff(names(value), unknown), function(key) {
      inner <- if (key %in% keys) rule$properties[[key]] else others
      if (is.list(inner)) schema_problems(value[[key]], inner, c(path, key), schema)
    }),
    if (length(unknown) == 0) {
      list(count_problem(length(value), rule$minProperties, rule$maxProperties, "key", keys, path))
    }
  )
  bind_problems(problems)
}

unknown_key <- function(key, keys, path) {
  new <- intersect(former_words[key], keys)
  hint <- if (length(new)) sprintf("It is called `%s` now.", new) else
    did_you_mean(key, keys, otherwise = sprintf("The keys are %s.", columns_named(keys)))
  new_problem(c(path, key), sprintf("There is no key `%s` here.", key), hint)
}

# What keys, options and commands were called, and what they are called now.
former_words <- c(keep = "store")

array_problems <- function(value, rule, path, schema) {
  bind_problems(c(
    list(count_problem(length(value), rule$minItems, rule$maxItems, "entry", NULL, path)),
    lapply(seq_along(value), function(i) schema_problems(value[[i]], rule$items, c(path, i), schema))
  ))
}

count_problem <- function(n, least, most, noun, keys, path) {
  plural <- if (noun == "key") "keys" else "entries"
  if (!is.null(least) && n < least) {
    return(new_problem(path, sprintf("This needs %s%s.", if (identical(least, most)) "" else "at least ",
                                     count_of(least, noun, plural)),
                       if (length(keys)) sprintf("The keys are %s.", columns_named(keys)) else NA))
  }
  if (!is.null(most) && n > most) {
    return(new_problem(path, sprintf("This takes %s but has %d.", count_of(most, noun, plural), n),
                       if (length(keys)) "Write a list entry for each." else NA))
  }
  no_problems()
}

scalar_problems <- function(value, rule, path) {
  wrong <- if (is.character(value)) {
    if (nchar(value) < (rule$minLength %||% 0L)) {
      "This text is empty."
    } else if (identical(rule$pattern, day_pattern) && grepl(day_pattern, value) &&
               is.na(read_iso_days_kernel(value))) {
      sprintf("%s is not a day of the calendar.", quoted(value))
    } else if (!is.null(rule$pattern) && !grepl(rule$pattern, value)) {
      # An address may hold a password.
      if (grepl("://|password *=|@", value)) {
        return(new_problem(path, "This looks like an address.",
                           "Give the name of an environment variable that holds it."))
      }
      sprintf("This cannot be %s%s.", quoted(value), pattern_words[[rule$pattern]] %||% "")
    }
  } else if (is.numeric(value)) {
    if (!is.finite(value)) {
      sprintf("This must be a number, and is %s.", format(value))
    } else if (value < (rule$minimum %||% -Inf)) {
      sprintf("This must be %s or more; it is %s.", rule$minimum, format(value))
    } else if (value > (rule$maximum %||% Inf)) {
      sprintf("This must be %s or less, and is %s.", rule$maximum, format(value))
    }
  }
  if (is.null(wrong)) no_problems() else new_problem(path, wrong)
}

day_pattern <- "^[0-9]{4}-[0-9]{2}-[0-9]{2}$"

pattern_words <- list(
  "^[0-9]{2}-[0-9]{2}$" = "; write a month and a day, such as \"04-01\"",
  "^[0-9]{4}-[0-9]{2}-[0-9]{2}$" = "; write a day, such as \"2026-01-31\"",
  "^[^/\\\\]+[.]html$" = "; give a file name that ends in .html, without a folder",
  "^[^/\\\\]+[.]xlsx$" = "; a file name that ends in .xlsx is meant, without folders"
)

schema_path <- function() {
  system.file("brief", "brief.schema.json", package = "hinterfeld", mustWork = TRUE)
}
