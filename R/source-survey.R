#' @rdname survey
#' @export
survey.character <- function(x, ...) {
  survey(load_table(x), ...)
}
