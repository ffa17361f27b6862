#' A starter brief from the columns of files
#'
#' Writes a first brief, with roles guessed from the names and values of columns, tables attached by the columns they
#' share with the lines, three tables and a figure. Every guess is marked `CHECK`.
#'
#' @param files Text: paths of files, folders or patterns, as in [load_table()], the sale lines first, then the tables
#'   to attach; or the names of tables of a database.
#' @param folder Text: the folder in which the brief will be saved. Paths in the brief are relative to this folder.
#' @param database Text: the name of the database that holds the tables: an environment variable containing its address
#'   (`postgresql://user@host/name`, `sqlite:/path/of/file`), or a PostgreSQL service.
#' @return Text, one element per line.
#' @section Errors: Those of [load_table()].
#' @export
#' @examples
#' files <- demo_files()
#' writeLines(starter_brief(files[c("order_lines", "orders", "products")]))
starter_brief <- function(files, folder = ".", database = NULL) {
  check_text(database, "database", none = TRUE)
  tables <- lapply(unname(files), function(file) {
    if (is.null(database)) load_table(file) else with_open_sources(load_table(database_named(database), file))
  })
  shown <- vapply(files, function(file) {
    if (is.null(database)) {
      yaml_text(paste0(relative_to(file, folder), if (dir.exists(file)) "/"))
    } else {
      sprintf("{database: %s, table: %s}", yaml_text(database), yaml_text(file))
    }
  }, "")
  columns <- names(tables[[1]])
  attached <- list()
  notes <- column_notes(tables[[1]])
  for (i in seq_along(tables)[-1]) {
    by <- intersect(columns, names(tables[[i]]))
    attached[[i - 1]] <- list(shown = shown[[i]], by = by)
    notes <- c(notes, column_notes(tables[[i]])[setdiff(names(tables[[i]]), columns)])
    columns <- union(columns, names(tables[[i]]))
  }
  roles <- guess_roles(notes)
  splits <- setdiff(intersect(c("category", "region", "channel"), columns), roles$product)
  c(
    # Editors that know YAML look here for the form.
    paste0("# yaml-language-server: $schema=", schema_path()),
    "# A starter brief. Read it, correct the lines marked CHECK, then run hinterfeld check and hinterfeld run.",
    "brief: 1", "", "data:", sprintf("  lines: %s", shown[[1]]), attach_lines(attached),
    "", "# The columns:",
    sprintf("#   %s: %s", comment_text(names(notes)), comment_text(vapply(notes, function(column) column$note, ""))),
    "", "daybook:", role_lines(roles, columns), format_line(roles, notes),
    "  on_bad: set_aside             # unusable lines are set aside and counted; `stop` raises an error instead",
    unused_lines(roles, notes), "", "# Which lines count, and why. For example:", "# restrict:",
    "#   - keep: reads_as(status, \"delivered\")",
    "#     why: delivered orders",
    "", "tables:", "  daily_product_revenue:", sprintf("    by: %s", "product"), "    every: day",
    "  monthly_revenue:", if (length(splits)) sprintf("    by: %s", yaml_text(splits[1])), "    every: month",
    "    subtotals: true",
    "    add:", "      - change: {versus: year_before}",
    "  best_sellers:",
    sprintf("    by: %s", if (length(splits)) sprintf("[%s, product]", yaml_text(splits[1])) else "product"),
    "    add:",
    sprintf("      - share: %s", if (length(splits)) sprintf("{within: %s}", yaml_text(splits[1])) else "{}"),
    "    pick:",
    sprintf("      best_sellers: {n: 5%s}", if (length(splits)) sprintf(", within: %s", yaml_text(splits[1])) else ""),
    "", "figures:", "  monthly_trend: {draw: trend, table: monthly_revenue}", "", "report:",
    "  title: Sales performance",
    "", "outputs:", "  tables: [csv]                 # csv, tsv, xlsx, parquet, json, md",
    "  figures: [png]                # png, svg, pdf", "  workbook: sales.xlsx"
  )
}

# What a reader of the brief wants to know of a column, and what guessing needs.
column_notes <- function(table) {
  columns <- quietly(survey(table))
  lapply(stats::setNames(seq_len(nrow(columns)), columns$column), function(i) {
    list(
      type = columns$type[i], distinct = columns$distinct[i],
      formats = if (columns$type[i] == "text") fitting_formats(utils::head(unique(stats::na.omit(table[[i]])), 500)),
      note = sprintf("%s, %s%s, for example %s", columns$type[i], count_of(columns$distinct[i], "distinct value"),
                     if (columns$blanks[i] > 0) paste0(", ", count_of(columns$blanks[i], "blank")) else "",
                     substr(as.character(stats::na.omit(table[[i]])[1]), 1, 40))
    )
  })
}

guess_roles <- function(notes) {
  names <- names(notes)
  type <- vapply(notes, function(column) column$type, "")
  like <- function(pattern, wanted) names[grepl(pattern, names, ignore.case = TRUE) & grepl(wanted, type)]
  number <- "number"
  quantity <- like("^(quantity|qty|units|pieces|count)", number)
  price <- like("price|rate$", number)
  revenue <- like("revenue|amount|sales|turnover|net|total", number)
  days <- names[grepl("date|days", type) | lengths(lapply(notes, function(column) column$formats)) > 0]
  list(
    day = c(grep("date|day", days, value = TRUE, ignore.case = TRUE), days)[1],
    product = c(like("^(product|item|article)(_?name)?$", "text"), like("product|item|article", "text"))[1],
    units = quantity[1],
    order = like("^(order|invoice|receipt|basket|transaction|bill)(_?(id|number|no))?$", "text|number")[1],
    revenue = if (length(revenue)) {
      r_name(revenue[1])
    } else if (length(quantity) && length(price)) {
      paste(r_name(quantity[1]), "*", r_name(price[1]))
    } else if (length(price)) {
      r_name(price[1])
    } else {
      NA
    }
  )
}

role_lines <- function(roles, columns) {
  given <- Filter(Negate(is.na), roles)
  needed <- setdiff(c("day", "product", "revenue"), names(given))
  notes <- c(day = "the day of sale", product = "the product's name",
             revenue = "revenue of a line, a column or an expression", units = "pieces sold",
             order = "the order's number")
  filled <- c(given, list(day = columns[1], product = columns[1], revenue = r_name(columns[1]))[needed])
  entries <- sprintf("%s: %s", names(filled), vapply(filled, yaml_text, ""))
  remarks <- c(notes[names(given)], if (length(needed)) paste0(notes[needed], "; no column looks like it"))
  c(sprintf("  %s  # CHECK: %s", formatC(entries, width = -max(nchar(entries))), remarks), "  decimals: 2")
}

# How days are written that are not YYYY-MM-DD.
format_line <- function(roles, notes) {
  formats <- if (!is.na(roles$day)) notes[[roles$day]]$formats
  if (length(formats)) {
    sprintf("  day_format: \"%s\"  # CHECK: how the days are written%s", formats[1],
            if (length(formats) > 1) paste0("; it could also be ", paste(formats[-1], collapse = " or ")) else "")
  }
}

# Columns that look as if a number depended on them, and that nothing uses yet.
unused_lines <- function(roles, notes) {
  used <- c(unlist(roles[names(roles) != "revenue"]), if (!is.na(roles$revenue)) all.vars(str2lang(roles$revenue)))
  left <- setdiff(names(notes), used)
  looks <- c(discount = "discount|rebate", status = "status|state$|cancel", cost = "cost$|^cost")
  matching <- lapply(looks, function(pattern) grep(pattern, left, value = TRUE, ignore.case = TRUE))
  advice <- c(discount = "is it taken off the revenue yet?", status = "do all lines count? See `restrict` below.",
              cost = "a measure of profit may want it.")
  unlist(Map(function(columns, advice) {
    sprintf("  # CHECK: `%s` is not used; %s", comment_text(columns), rep(advice, length(columns)))
  }, matching, advice), use.names = FALSE)
}

attach_lines <- function(attached) {
  if (length(attached) == 0) {
    return(NULL)
  }
  c("  attach:", unlist(lapply(attached, function(table) {
    keys <- paste(vapply(table$by, yaml_text, ""), collapse = ", ")
    by <- if (length(table$by)) sprintf("[%s]", keys) else "[]  # CHECK: the two share no column name"
    c(sprintf("    - table: %s", table$shown), sprintf("      by: %s", by),
      "      need: any                 # lines without a match are kept; `every` raises an error instead")
  })))
}

# What comes from data may not end the comment that it stands in.
comment_text <- function(text) {
  gsub("[[:cntrl:]\u0085\u2028\u2029]+", " ", printable(text))
}

# Text as YAML, quoted where it would mean something else.
yaml_text <- function(text) {
  text <- enc2utf8(text)
  plain <- grepl("^[[:alpha:]_/.][[:alnum:]_ ./*()-]*$", text) &&
    !grepl("^(true|false|null|yes|no|on|off|y|n|~)$", text, ignore.case = TRUE) && !grepl(" $", text)
  if (plain) text else sprintf("\"%s\"", yaml_escaped(text))
}

# What would end a line, or is not text, by its number.
yaml_escaped <- function(text) {
  points <- utf8ToInt(text)
  odd <- points < 32 | points %in% c(127:159, 0x2028, 0x2029, 0xfeff)
  shown <- vapply(points, intToUtf8, "")
  shown[points %in% utf8ToInt("\"\\")] <- paste0("\\", shown[points %in% utf8ToInt("\"\\")])
  shown[odd] <- sprintf("\\u%04X", points[odd])
  paste(shown, collapse = "")
}

r_name <- function(name) {
  if (make.names(name) == name) name else sprintf("`%s`", name)
}

# A path as seen from a folder; absolute where they share no start.
relative_to <- function(path, folder) {
  folders <- function(x) strsplit(normalizePath(x, "/", mustWork = FALSE), "/", fixed = TRUE)[[1]]
  from <- folders(folder)
  to <- folders(path)
  n <- min(length(from), length(to))
  same <- sum(cumprod(from[seq_len(n)] == to[seq_len(n)]))
  if (same < 2) {
    return(paste(to, collapse = "/"))
  }
  paste(c(rep("..", length(from) - same), to[-seq_len(same)]), collapse = "/")
}
