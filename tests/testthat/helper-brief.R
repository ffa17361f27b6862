# Briefs of a few lines, with their data beside them.

small_sales <- "day,product,region,status,revenue
2025-03-02,Needle tool,Vale,paid,5.75
2025-03-03,Sieve,Highfen,paid,12.00
2026-03-02,Needle tool,Vale,paid,11.50
2026-03-04,Sieve,Vale,open,12.00
2026-03-05,Sieve,,paid,24.00
"

small_brief <- "brief: 1
data:
  lines: sales.csv
daybook:
  day: day
  product: product
  revenue: revenue
restrict:
  - keep: status == \"paid\"
    why: paid orders
tables:
  regions:
    by: region
    add:
      - share:
outputs:
  folder: out
"

# A folder with a brief and its data; gives the brief's path.
brief_folder <- function(text = small_brief, data = small_sales, env = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = env)
  writeLines(data, file.path(folder, "sales.csv"), sep = "")
  writeLines(text, file.path(folder, "job.yaml"), sep = "")
  file.path(folder, "job.yaml")
}

# The mistakes of a brief whose part is replaced.
mistakes_in <- function(old, new, text = small_brief) {
  stopifnot(grepl(old, text, fixed = TRUE))
  check_brief(brief_folder(sub(old, new, text, fixed = TRUE)))
}
