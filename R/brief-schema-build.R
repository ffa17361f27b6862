# The form of briefs that follows from the registries: periods, measures, steps, figures, formats and sections. The
# schema file holds it for editors; it is made again from here, and a test holds the two together.

# A brief schema with its parts from the registries.
formed_schema <- function(schema) {
  table <- schema[["$defs"]]$table$properties
  grain <- list(enum = as.list(names(grain_kinds)))
  table$every <- list(anyOf = list(grain, list(type = "array", minItems = 1L, items = grain)))
  expression <- list(`$ref` = "#/$defs/expression")
  several <- list(type = "array", minItems = 1L, items = expression)
  table$keep <- table$leave_out <- list(anyOf = list(expression, several))
  table$sort <- table$columns <- list(`$ref` = "#/$defs/columns")
  table$decimals_shown <- list(type = "integer", minimum = 0L, maximum = 6L)
  table$add <- list(type = "array", minItems = 1L, items = list(`$ref` = "#/$defs/step"))
  table$in_period <- list(`$ref` = "#/$defs/text")
  table$pick$properties[pick_kinds] <- lapply(pick_kinds, function(kind) step_form(step_kinds[[kind]]))
  table$headings <- list(
    description = "New names for columns of the table, keyed by their present names.",
    type = "object", minProperties = 1L, additionalProperties = list(`$ref` = "#/$defs/text")
  )
  schema[["$defs"]]$table$properties <- table
  makers <- paste(measure_makers(), collapse = ", ")
  schema[["$defs"]]$measure$description <-
    sprintf("The name of a column, \"lines\", or a name with one of %s.", makers)
  schema[["$defs"]]$measured$properties <- measured_form()
  schema$properties$daybook$properties$covers <-
    list(type = "array", minItems = 2L, maxItems = 2L, items = list(`$ref` = "#/$defs/day"))
  schema[["$defs"]]$step$properties <- lapply(step_kinds, step_form)
  schema[["$defs"]]$sellers <- NULL
  schema[["$defs"]]$ties <- NULL
  schema[["$defs"]]$figure$properties$draw <- list(enum = as.list(names(figure_kinds)))
  outputs <- schema$properties$outputs$properties
  outputs$tables$items <- list(enum = as.list(names(table_writers)))
  outputs$figures$items <- list(enum = as.list(names(figure_writers)))
  schema$properties$outputs$properties <- outputs
  schema$properties$report$properties$sections$items$anyOf[[1]] <- list(enum = as.list(names(report_sections)))
  with_key_words(schema)
}

measured_form <- function() {
  expression <- list(`$ref` = "#/$defs/expression")
  makers <- lapply(stats::setNames(measure_kinds, measure_makers()), function(kind) {
    switch(kind$takes, numbers = , pair = expression, column = list(`$ref` = "#/$defs/column"),
           lines = list(enum = list(TRUE)))
  })
  c(makers, list(to = expression, per = list(`$ref` = "#/$defs/column"), where = expression,
                 margin = list(enum = list("recompute", "add_up"), default = "recompute"),
                 incomplete = list(enum = list("leave_out", "count"), default = "leave_out")))
}

step_form <- function(kind) {
  list(description = sprintf("The arguments of %s().", kind$verb), type = list("object", "null"),
       additionalProperties = FALSE,
       properties = lapply(kind$arguments, argument_form))
}

argument_form <- function(argument) {
  form <- if (!is.null(argument$choices)) {
    list(enum = as.list(argument$choices))
  } else {
    switch(argument$type,
      text = list(`$ref` = "#/$defs/text"), texts = list(`$ref` = "#/$defs/columns"),
      columns = list(`$ref` = "#/$defs/within"), flag = list(type = "boolean"),
      count = list(type = "integer", minimum = as.integer(argument$least)),
      order = list(`$ref` = "#/$defs/columns"),
      fraction = list(type = "number", minimum = 0L, maximum = 1L), day = list(`$ref` = "#/$defs/day"),
      fractions = list(type = "object", minProperties = 1L,
                       additionalProperties = list(type = "number", minimum = 0L, maximum = 1L)),
      targets = list(
        description = "A file of targets, or its columns.",
        anyOf = list(list(type = "string"), list(type = "object", minProperties = 1L))
      ),
      periods = list(
        description = "Two periods by name, the later first, each a first and a last day.",
        type = "object", minProperties = 2L, maxProperties = 2L,
        additionalProperties = list(type = "array", minItems = 2L, maxItems = 2L, items = list(`$ref` = "#/$defs/day"))
      )
    )
  }
  default <- argument$default
  if (is.null(default)) form else c(form,
                                    list(
                                      default = if (length(default) > 1) as.list(default) else if (
                                        argument$type == "count"
                                      ) as.integer(default) else default
                                    ))
}

# Writes the schema again to its file.
write_schema <- function(path) {
  schema <- formed_schema(jsonlite::read_json(path))
  jsonlite::write_json(schema, path, auto_unbox = TRUE, pretty = TRUE, null = "null", digits = NA)
}
