# Expressions in a brief are data: parsed, looked through, and evaluated where only the language's functions exist.

# The quosure of an expression that was checked before.
brief_quo <- function(text, call = caller_env()) {
  if (is.null(text)) {
    return(rlang::quo(NULL))
  }
  read <- read_expression(text)
  if (!is.null(read$problem)) {
    stop_because("expression", read$problem, i = read$hint, call = call)
  }
  read$quo
}
