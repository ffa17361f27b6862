# Names that several rows of an attached table share: two towns of one name, one product name in two categories. What
# is split by such a column alone takes them for one; whoever shows it says so.

# A column is taken for one of names when most of its values stand once. Columns as the lines have them, with for each
# its column of the table: list(table, column, names, number, apart), where `apart` are those that tell all of the rows
# of one name from each other.
find_shared_names <- function(table, columns, name) {
  texts <- columns[vapply(columns, function(column) type_of(table[[column]]) == "text", NA)]
  shared_names <- lapply(names(texts), function(own) {
    values <- as.character(table[[texts[[own]]]])
    given <- values[!is.na(values)]
    shared <- sort(unique(given[duplicated(given)]), method = "radix")
    if (length(shared) == 0 || length(shared) > length(unique(given)) / 4) {
      return(NULL)
    }
    rows <- which(values %in% shared)
    apart <- vapply(columns, function(column) {
      !anyDuplicated(data.frame(values[rows], plain_value(table[[column]][rows])))
    }, NA)
    list(table = name, column = own, names = utils::head(shared, 3), number = length(shared),
         apart = setdiff(names(columns)[apart], own))
  })
  Filter(Negate(is.null), shared_names)
}

# By the names that columns have in a daybook.
alike_in_roles <- function(alike, roles) {
  lapply(alike, function(shared) {
    replace(shared, c("column", "apart"),
            list(names_in_roles(shared$column, roles), names_in_roles(shared$apart, roles)))
  })
}

# What is to be said of a table that is split by these columns.
alike_words <- function(alike, by) {
  unlist(lapply(Filter(function(shared) shared$column %in% by, alike), function(shared) {
    named <- and_list(c(sprintf("\"%s\"", shared$names), if (shared$number > 3) sprintf("%d more", shared$number - 3L)))
    many <- shared$number > 1
    beside <- intersect(shared$apart, by)
    if (length(beside)) {
      sprintf("%s %s in more than one %s; each has a row of its own.", named,
              if (many) "occur" else "occurs", beside[1])
    } else {
      sprintf("%s %s in %s more than once, and %s counted as one here%s.", named, if (many) "occur" else "occurs",
              shared$table, if (many) "each is" else "is",
              if (length(shared$apart)) sprintf("; split by %s as well to tell them apart", shared$apart[1]) else "")
    }
  }))
}
