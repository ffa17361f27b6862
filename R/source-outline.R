# Outlines of islands and regions for maps, from GeoJSON (RFC 7946).

# Rings of polygons: a data frame of longitude, latitude and the ring's number.
load_outline <- function(path) {
  check_file(path)
  shape <- file_json(path)
  if (is.null(shape)) {
    stop_because("file", sprintf("%s is not GeoJSON.", shown_file(path)), i = "It is not JSON.", call = NULL)
  }
  rings <- polygon_rings(shape)
  if (length(rings) == 0) {
    stop_because("file", sprintf("%s has no polygon.", shown_file(path)),
                 i = "Outlines are GeoJSON polygons or multipolygons.", call = NULL)
  }
  do.call(rbind, lapply(seq_along(rings), function(i) {
    data.frame(longitude = vapply(rings[[i]], function(p) as.numeric(p[[1]]), 0),
               latitude = vapply(rings[[i]], function(p) as.numeric(p[[2]]), 0),
               ring = i)
  }))
}

polygon_rings <- function(shape) {
  switch(shape$type %||% "",
    FeatureCollection = unlist(lapply(shape$features, polygon_rings), recursive = FALSE),
    Feature = polygon_rings(shape$geometry),
    GeometryCollection = unlist(lapply(shape$geometries, polygon_rings), recursive = FALSE),
    Polygon = shape$coordinates,
    MultiPolygon = unlist(shape$coordinates, recursive = FALSE),
    list()
  )
}
