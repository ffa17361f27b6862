# Tables as Markdown, for documents and messages.

write_markdown <- function(x, path) {
  write_text(markdown_lines(x), path)
}

markdown_lines <- function(x) {
  about <- table_description(x)
  cells <- Map(function(values, form) markdown_text(shown_text(values, form, calendar_of(x))), as.list(x),
               about$columns)
  right <- vapply(about$columns, function(form) form$kind %in% number_kinds, NA)
  row <- function(cells) paste0("| ", do.call(paste, c(unname(cells), sep = " | ")), " |")
  c(
    if (!is.null(about$title)) c(paste0("## ",
                                        markdown_text(paste0(about$title, money_note(about$columns, about$unit)))), ""),
    row(as.list(markdown_text(names(x)))),
    row(as.list(ifelse(right, "---:", "---"))),
    if (nrow(x)) row(cells),
    if (length(about$sentences)) c("", paste("-", markdown_text(about$sentences)))
  )
}

markdown_text <- function(text) {
  gsub("[\r\n]+", " ", gsub("([\\\\|*`<\\[\\]#])", "\\\\\\1", text, perl = TRUE))
}
