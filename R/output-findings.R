# Findings in sentences, with the table that shows each.

#' What stands out: findings in sentences
#'
#' Looks at the facts as a good analyst would and says what stands out, the findings that move most money first. Periods
#' are compared only where they can be: the year so far with the same days of the year before, or else the month with
#' the month before. Nothing is forecast.
#'
#' @param facts A daybook or a tally.
#' @param n Number: at most this many findings.
#' @param of Text: the name of the column that is summed.
#' @param by Columns to look by, such as products and places. By default the product and every column of text with 2 to
#'   60 values.
#' @param points Number: a share, a rise or a fall counts from this fraction on; 0.01 is a point of 100.
#' @param carries Number: the fraction of a rise or fall from which a member carries it.
#' @param silent Number: weeks without a sale after which a member that sold in most of the 26 weeks before has fallen
#'   silent; one whose first sale is not older is new.
#' @param unusual Number: how many median deviations make a month or a day unusual. A month is looked at as a part of
#'   the median of the months around it, and held against the same month of at least three other years; a deviation
#'   counts for 5 % at least. A day is held against the same weekday in the same month of other years, of which there
#'   must be eight, and needs twice as many.
#' @param dependence Number: the fraction of the whole from which one of at least ten members is too much.
#' @return A table with one row for each finding: `finding` (text, the sentence), `kind`, `amount` (the money it moves,
#'   signed), `column` and `member` (what it is about), and `shown_by` (text, the R code that shows it; `book` are the
#'   facts). The same facts always give the same findings in the same order.
#' @section Kinds: `change` of the whole and its causes; `carrier`, a member that makes at least half of the change or
#'   moves against it; `leader`, a new best member; `share`, one that moved; `silent` and `new` members; a `month` or
#'   `day` far from its season; `dependence` on one of many; `returns` that grew; a `gap`, a month without a line; a
#'   `price` ten times its product's median; a new `spelling` of a value. Of a column in which a value is spelt in
#'   several ways nothing else is said. A tally has no lines, so it tells nothing of returns and prices.
#' @section Errors: `hinterfeld_error_facts`, `hinterfeld_error_argument`, and `hinterfeld_error_column` for an unknown
#'   column.
#' @references F. R. Hampel, The influence curve and its role in robust estimation, 1974, for the median deviation.
#' @export
#' @examples
#' findings(demo_daybook(), by = c(product, region, category))
findings <- function(facts, n = 9, of = "revenue", by = NULL, points = 0.01, carries = 0.5, silent = 8, unusual = 3.5,
                     dependence = 0.25) {
  check_facts(facts)
  check_whole_number(n, "n", 1)
  check_whole_number(silent, "silent", 1)
  check_choice(of, "of", setdiff(facts_numbers(facts), "lines"))
  limits <- mget(limit_names)
  for (name in names(limits)) {
    limit <- limits[[name]]
    check_made(is.numeric(limit) && length(limit) == 1 && is.finite(limit) && limit > 0, limit, name,
               "a number above 0")
  }
  by <- pick_columns(enquo(by), grouping_columns(facts), "by")
  findings_of(facts, n, of, if (length(by)) by else telling_columns(facts), limits)
}

limit_names <- c("points", "carries", "silent", "unusual", "dependence")

# Without `lines`, what a daybook gives is what a tally of it gives.
findings_of <- function(facts, n, of = "revenue", by, limits = formals(findings)[limit_names],
                        lines = inherits(facts, "hinterfeld_daybook")) {
  found <- find_all(facts, of, by, limits, lines)
  shown <- utils::head(found$found, n)
  sentence <- vapply(shown, function(finding) {
    finding_sentences[[finding$kind]](finding, finding_words(finding, of, found))
  }, "")
  text <- function(field) vapply(shown, function(finding) finding[[field]], "")
  inquiries <- lapply(shown, function(finding) quietly(inquiry_of(finding$t)))
  columns <- list(finding = sentence, kind = text("kind"), amount = vapply(shown, function(finding) finding$amount, 0),
                  column = text("column"), member = text("member"),
                  shown_by = vapply(inquiries, function(q) paste(as_code(q), collapse = "\n"), ""))
  listing <- new_listing("findings", columns, length(shown),
                         list(amount = list(counts = "money", decimals = found$decimals)), about_facts(facts),
                         list(of = of, more = length(found$found) - length(shown), compared = found$compared,
                              limits = limits, inquiries = inquiries))
  class(listing) <- c("hinterfeld_findings", class(listing))
  listing
}

# What all sentences need: how amounts, parts and the member are written, and the periods compared.
finding_words <- function(finding, of, found) {
  minus <- function(text) sub("-", "\u2212", text)
  list(
    of = of, numbers = finding$numbers, compared = found$compared,
    money = function(x, signed = FALSE) minus(people_number(x, found$decimals, signed)),
    percent = function(x, signed = FALSE) minus(percent_text(x, signed)),
    member = paste0(finding$member, if (!finding$column %in% c("", "product")) sprintf(" (%s)", finding$column))
  )
}

# "in 2026 to 2026-09-17", "in 2025-08".
now_words <- function(compared) {
  paste0("in ", compared$label, if (compared$unfinished) paste(" to", format(compared$now[2])))
}

# "the same days of 2025", "2025-07"; and as a time, "on the same days of 2025", "in 2025-07".
before_words <- function(compared) {
  days <- if (compared$moved) "as many open days of " else "the same days of "
  paste0(if (compared$unfinished) days, compared$label_before)
}

time_before <- function(compared) {
  paste(if (compared$unfinished) "on" else "in", before_words(compared))
}

# "up 18.6 % on the same days of 2025 (+116 400.10)"
moved_words <- function(now, before, w) {
  change <- now - before
  if (change == 0) {
    return(paste("exactly as much as", time_before(w$compared)))
  }
  part <- if (before > 0) paste0(w$percent(abs(change) / before), " ")
  sprintf("%s %son %s (%s)", if (change > 0) "up" else "down", part %||% "", before_words(w$compared),
          w$money(change, signed = TRUE))
}

cause_words <- c(volume = "pieces sold", mix = "the mix of products", price = "prices", new = "new products",
                 gone = "products that are gone")

# The causes that make a tenth of all that moved, the largest first.
causes_told <- function(causes, w) {
  if (is.null(causes) || all(causes == 0)) {
    return("")
  }
  causes <- causes[abs(causes) >= 0.1 * sum(abs(causes))]
  causes <- causes[order(-abs(causes))]
  parts <- sprintf("%s %s", cause_words[names(causes)], vapply(causes, w$money, "", signed = TRUE))
  sprintf(" What moved it: %s.", and_list(parts))
}

# " It had 2 open days fewer, 24 instead of 26, which is about -3 100.00 of it."
open_told <- function(open, w) {
  if (is.null(open)) {
    return("")
  }
  sprintf(" It had %s %s, %s instead of %s: %s of the change.", count_of(abs(open$days - open$before), "open day"),
          if (open$days > open$before) "more" else "fewer", group_digits(open$days), group_digits(open$before),
          w$money(open$amount, signed = TRUE))
}

# What a reader should know of all findings: the days compared, the limits, and how many are left.
findings_told <- function(about) {
  limits <- about$limits
  if (is.null(about$compared)) {
    return("No period can be compared with an earlier one.")
  }
  c(
    compared_sentence(about$compared),
    sprintf(paste("A share or change counts from %s on; a member carries a change from %s of it on and has fallen",
                  "silent after %s; one of many is too much above %s."), percent_words(limits$points),
            percent_words(limits$carries), count_of(limits$silent, "week"), percent_words(limits$dependence)),
    if (about$more > 0) sprintf("%s less.", count_of(about$more, "more finding moves", "more findings move"))
  )
}

compared_sentence <- function(compared) {
  days <- function(span) paste(format(span), collapse = " to ")
  sprintf("Compared: %s with %s.", days(compared$now), days(compared$before))
}

finding_sentences <- list(
  change = function(finding, w) {
    n <- w$numbers
    paste0(sprintf("%s %s is %s, %s.", capital(w$of), now_words(w$compared), w$money(n$now),
                   moved_words(n$now, n$before, w)), causes_told(n$causes, w), open_told(n$open, w))
  },
  carrier = function(finding, w) {
    n <- w$numbers
    part <- if (n$before > 0) sprintf(" (%s)", w$percent(n$now / n$before - 1, signed = TRUE)) else ""
    if (n$part > 0) {
      sprintf("%s of the %s comes from %s: %s%s.", w$percent(n$part), if (n$whole > 0) "rise" else "fall", w$member,
              w$money(finding$amount, signed = TRUE), part)
    } else {
      sprintf("%s of %s moved against the whole: %s%s.", capital(w$of), w$member,
              w$money(finding$amount, signed = TRUE), part)
    }
  },
  leader = function(finding, w) {
    sprintf("The best %s %s is %s with %s; %s it was %s, which now has %s.", finding$column, now_words(w$compared),
            finding$member, w$money(w$numbers$now), time_before(w$compared), w$numbers$former,
            w$money(w$numbers$fell_to))
  },
  share = function(finding, w) {
    n <- w$numbers
    points <- abs(round(100 * n$now, 1) - round(100 * n$before, 1))
    sprintf("%s of %s comes from %s, %s points %s than %s (%s).", w$percent(n$now), w$of, w$member,
            people_number(points, 1), if (n$now > n$before) "more" else "less", time_before(w$compared),
            w$percent(n$before))
  },
  silent = function(finding, w) {
    sprintf("No sale of %s for %s, after sales in %d of the 26 weeks before.", w$member,
            count_of(w$numbers$weeks, "week"), w$numbers$sold)
  },
  new = function(finding, w) {
    sprintf("New: %s, with %s since the week of %s.", w$member, w$money(finding$amount), format(w$numbers$first))
  },
  month = function(finding, w) {
    n <- w$numbers
    sprintf("%s in %s is %s, %s %s its season (%s, going by %s).", capital(w$of), substr(finding$member, 1, 7),
            w$money(n$value), w$percent(abs(n$value / n$usual - 1)), if (n$value > n$usual) "above" else "below",
            w$money(n$usual), count_of(n$others, "other year"))
  },
  day = function(finding, w) {
    day <- as.POSIXlt(finding$member)
    weekday <- c("Sunday", "Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday")[day$wday + 1]
    sprintf("%s on %s, %s, is %s; the median of %d %ss in %s of other years is %s.", capital(w$of), weekday,
            finding$member, w$money(w$numbers$value), w$numbers$others, weekday, month.name[day$mon + 1],
            w$money(w$numbers$middle))
  },
  dependence = function(finding, w) {
    sprintf("%s of %s comes from %s alone, one of %d.", w$percent(w$numbers$share), w$of, w$member,
            w$numbers$members)
  },
  returns = function(finding, w) {
    sprintf("Returns take %s of what was sold %s, against %s %s.", w$percent(w$numbers$now), now_words(w$compared),
            w$percent(w$numbers$before), time_before(w$compared))
  },
  gap = function(finding, w) {
    months <- unique(substr(c(finding$member, format(w$numbers$last)), 1, 7))
    sprintf("%s %s not a single line, between days that have some: are the data whole?",
            paste(months, collapse = " to "), if (length(months) == 1) "has" else "have")
  },
  price = function(finding, w) {
    sprintf("A line of %s has a price of %s; the median price is %s.", finding$member, w$money(w$numbers$top),
            w$money(w$numbers$middle))
  },
  spelling = function(finding, w) {
    sprintf("\"%s\" (%s) is new and counted apart from \"%s\", which differs in case or spaces only%s.", finding$member,
            finding$column, w$numbers$usual, if (w$numbers$more) paste("; so do", w$numbers$more, "more") else "")
  }
)
