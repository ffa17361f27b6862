test_that("of each attached table the rows that no line uses are counted, whatever road the lines take", {
  folder <- withr::local_tempdir()
  write <- function(name, ...) writeLines(c(...), file.path(folder, name))
  dir.create(file.path(folder, "sales"))
  write("sales/a.csv", "day,product,revenue,shop", "2026-01-02,bowl,1,a", "2026-01-03,jug,2,a")
  write("sales/b.csv", "day,product,revenue,shop", "2026-01-04,bowl,3,b")
  write("products.csv", "product,kind", "bowl,ware", "jug,ware", "mug,ware")
  write("shops.csv", "shop,town", "a,Oldkiln", "b,Ebbwick", "c,Peltry", "d,Skelhope")
  write("job.yaml", "brief: 1", "data:", "  lines: sales", "  attach:", "    - {table: products.csv, by: product}",
        "    - {table: shops.csv, by: shop}", "daybook: {day: day, product: product, revenue: revenue}",
        "tables: {t: {by: town}}")
  path <- file.path(folder, "job.yaml")
  steps <- function(...) {
    record <- quiet(run_brief(path, into = file.path(folder, "out"), again = TRUE, ...))
    record$audit$why[record$audit$what == "attach"]
  }
  told <- c("products by product; 1 row unused", "shops by shop; 2 rows unused")
  expect_identical(steps(), told)
  expect_identical(steps(store = file.path(folder, "kept")), told)
})
