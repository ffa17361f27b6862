# Names that several rows of an attached table share: two towns of one name, one product name in two categories. What
# is split by such a column alone takes them for one; whoever shows it says so.

# A column is taken for one of names when most of its values stand once. Columns as the lines have them, with for each
# its column of the table: list(table, column, names, number, apart), where `apart` are those that tell all of the rows
# of one name from each other.
alike_names <- function(table, columns, name) {
  texts <- columns[vapply(columns, function(column) type_of(table[[column]]) == "text", NA)]
  found <- lapply(names(texts), function(own) {
    values <- as.character(table[[texts[[own]]]])
    known <- values[!is.na(values)]
    shared <- sort(unique(known[duplicated(known)]), method = "radix")
    if (length(shared) == 0 || length(shared) > length(unique(known)) / 4) {
      return(NULL)
    }
    rows <- which(values %in% shared)
    apart <- vapply(columns, function(column) {
      !anyDuplicated(data.frame(values[rows], plain_value(table[[column]][rows])))
    }, NA)
    list(table = name, column = own, names = utils::head(shared, 3), number = length(shared),
         apart = setdiff(names(columns)[apart], own))
  })
  Filter(Negate(is.null), found)
}

# By the names that columns have in a daybook.
alike_in_roles <- function(alike, roles) {
  lapply(alike, function(one) {
    replace(one, c("column", "apart"), list(names_in_roles(one$column, roles), names_in_roles(one$apart, roles)))
  })
}

# What is to be said of a table that is split by these columns.
alike_words <- function(alike, by) {
  unlist(lapply(Filter(function(one) one$column %in% by, alike), function(one) {
    named <- and_list(c(sprintf("\"%s\"", one$names), if (one$number > 3) sprintf("%d more", one$number - 3L)))
    many <- one$number > 1
    beside <- intersect(one$apart, by)
    if (length(beside)) {
      sprintf("%s %s in more than one %s; each has a row of its own.", named,
              if (many) "occur" else "occurs", beside[1])
    } else {
      sprintf("%s %s in %s more than once, and %s counted as one here%s.", named, if (many) "occur" else "occurs",
              one$table, if (many) "each is" else "is",
              if (length(one$apart)) sprintf("; split by %s as well to tell them apart", one$apart[1]) else "")
    }
  }))
}
