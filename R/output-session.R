# What is written must not depend on the session that writes it: options for numbers, the locale of texts and of the
# names of months.

# Evaluates `code` with plain options, in a UTF-8 locale where the session has another, and puts everything back.
in_plain_session <- function(code) {
  before <- options(OutDec = ".", scipen = 0L, digits = 7L)
  on.exit(options(before))
  if (!isTRUE(l10n_info()[["UTF-8"]])) {
    own <- Sys.getlocale("LC_CTYPE")
    on.exit(suppressWarnings(Sys.setlocale("LC_CTYPE", own)), add = TRUE)
    for (locale in c("C.UTF-8", "en_US.UTF-8", "UTF-8")) {
      if (nzchar(suppressWarnings(Sys.setlocale("LC_CTYPE", locale)))) break
    }
  }
  months <- Sys.getlocale("LC_TIME")
  on.exit(suppressWarnings(Sys.setlocale("LC_TIME", months)), add = TRUE)
  suppressWarnings(Sys.setlocale("LC_TIME", "C"))
  force(code)
}
