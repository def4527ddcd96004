# Vine Loom's driver for R 4.0 and later.
#
# One JSON request a line on descriptor 3, one JSON event a line on descriptor 4, behind the block's mark. The requests are cut out by
# pattern, since R has no JSON reader of its own; the code follows its request, and what is handed in comes as R code before and
# after it.
vineloom_serve <- quote({
  requests <- file("/dev/fd/3", "rb", raw = TRUE)
  events <- file("/dev/fd/4", "wb", raw = TRUE)
  request <- list()
  placed <- 0L
  epoch <- .POSIXct(0)

  quoted <- function(text) {
    text <- enc2utf8(as.character(text))
    text <- gsub("\\", "\\\\", text, fixed = TRUE)
    text <- gsub("\"", "\\\"", text, fixed = TRUE)
    text <- gsub("\n", "\\n", text, fixed = TRUE)
    text <- gsub("\t", "\\t", text, fixed = TRUE)
    text <- gsub("\r", "\\r", text, fixed = TRUE)
    text <- gsub("[[:cntrl:]]", "", text)
    ifelse(is.na(text), "null", paste0("\"", text, "\""))
  }
  send <- function(event) {
    writeBin(charToRaw(paste0(request$mark, " ", event, "\n")), events)
    flush(events)
  }
  place <- function(event) {
    placed <<- placed + 1L
    cat(sprintf("\002%s:%d\003", request$mark, placed))
    flush(stdout())
    send(event)
  }
  # What a program or cat(file = stderr()) wrote to standard error so far belongs before what comes next.
  here <- function() {
    place("{\"here\":null}")
    cat(sprintf("\002%s:%d\003", request$mark, placed), file = stderr())
  }
  notice <- function(text) place(paste0("{\"notice\":", quoted(text), "}"))

  table_of <- function(frame) {
    names <- colnames(frame)
    numeric <- vapply(frame, function(column) is.numeric(column) && !is.object(column), logical(1))
    own_names <- !is.null(attr(frame, "row.names")) && is.character(attr(frame, "row.names"))
    cells <- lapply(frame, function(column) {
      text <- if (is.numeric(column) && !is.object(column)) vapply(column, function(n) if (is.na(n)) NA_character_ else all_digits(n), character(1), USE.NAMES = FALSE) else as.character(column)
      text[is.na(column)] <- NA
      quoted(text)
    })
    if (own_names) {
      cells <- c(list(quoted(rownames(frame))), cells)
      names <- c("", names)
      numeric <- c(FALSE, numeric)
    }
    columns <- paste0("{\"name\":", quoted(names), ",\"kind\":\"", ifelse(numeric, "number", "text"), "\"}", collapse = ",")
    rows <- if (nrow(frame) > 0) paste0("[", do.call(paste, c(unname(cells), sep = ",")), "]", collapse = ",") else ""
    paste0("{\"table\":{\"columns\":[", columns, "],\"rows\":[", rows, "]}}")
  }

  # How a value of length one reads in a sentence, and what kind of value it is.
  prose <- function(value) {
    kind <- "text"
    if (is.null(value) || is.na(value)) {
      kind <- "missing"
      plain <- if (is.null(value)) "NULL" else "NA"
    } else if (is.object(value)) {
      plain <- if (is.factor(value)) as.character(value) else format(value)
    } else if (is.logical(value)) {
      kind <- if (value) "yes" else "no"
      plain <- as.character(value)
    } else if (is.numeric(value)) {
      kind <- if (is.finite(value)) "number" else "text"
      plain <- all_digits(unname(value))
    } else {
      plain <- as.character(value)
    }
    paste0("\"plain\":", quoted(plain), ",\"kind\":\"", kind, "\"")
  }
  # A number with as many digits as it takes to read the same number again.
  all_digits <- function(number) {
    if (is.integer(number)) return(as.character(number))
    if (is.finite(number) && number == trunc(number) && abs(number) < 1e15) return(sprintf("%.0f", number))
    for (digits in 15:17) {
      text <- format(number, digits = digits, trim = TRUE)
      if (identical(as.numeric(text), as.numeric(number))) break
    }
    text
  }
  # Whether a value is one that reads in a sentence, or a list of those.
  is_plain <- function(value) {
    known <- !is.object(value) || inherits(value, c("Date", "POSIXct", "factor", "difftime"))
    (is.null(value) || is.atomic(value) && known && !is.raw(value) && is.null(dim(value))) && length(value) <= 1000
  }
  show_plain <- function(value) {
    text <- paste(utils::capture.output(print(value)), collapse = "\n")
    content <- if (length(value) == 1 || is.null(value)) {
      prose(value)
    } else {
      items <- vapply(seq_along(value), function(at) paste0("{", prose(value[at]), "}"), character(1))
      plains <- vapply(seq_along(value), function(at) {
        one <- value[at]
        if (is.numeric(one) && !is.object(one)) all_digits(unname(one)) else as.character(one)
      }, character(1))
      paste0("\"plain\":", quoted(paste(plains, collapse = ", ")), ",\"items\":[", paste(items, collapse = ","), "]")
    }
    place(paste0("{\"value\":{\"text\":", quoted(text), ",", content, "}}"))
  }

  show <- function(value) {
    if (is.matrix(value) && (is.numeric(value) || is.character(value)) && !is.table(value) && ncol(value) > 0) {
      if (is.null(colnames(value))) colnames(value) <- seq_len(ncol(value))
      frame <- as.data.frame(value, stringsAsFactors = FALSE)
      if (!is.null(rownames(value))) attr(frame, "row.names") <- rownames(value)
      place(table_of(frame))
    } else if (is.data.frame(value)) {
      place(table_of(as.data.frame(value)))
    } else if (is_plain(value)) {
      show_plain(value)
    } else {
      print(value)
    }
  }
  # The argument of a lone `print(…)`, which shows a plain value as the value alone would.
  printed <- function(expression) {
    lone <- is.call(expression) && identical(expression[[1]], quote(print)) && length(expression) == 2 && is.null(names(expression))
    if (lone && identical(get("print", globalenv()), base::print)) expression[[2]]
  }

  calls_of_statements <- list(
    quote(eval(expressions[[at]], globalenv())), quote(withVisible(eval(expressions[[at]], globalenv()))), quote(eval(argument, globalenv()))
  )
  failure <- function(error, where) {
    summary <- conditionMessage(error)
    call <- conditionCall(error)
    # A statement that fails by itself is called by nothing but this driver.
    if (is.call(call) && any(vapply(calls_of_statements, identical, NA, call))) call <- NULL
    text <- paste0("Error", if (!is.null(call)) paste0(" in ", deparse(call)[1]), ": ", summary)
    at <- if (is.null(where)) "null" else sprintf("{\"block\":%s,\"line\":%d}", quoted(request$label), where)
    package <- regmatches(summary, regexec("there is no package called .(.+).$", summary))[[1]]
    help <- if (length(package) == 2) paste0(",\"help\":", quoted(paste0("install the package: `install.packages(\"", package[2], "\")` in R"))) else ""
    place(paste0("{\"failure\":{\"summary\":", quoted(strsplit(summary, "\n")[[1]][1]), ",\"text\":", quoted(text), ",\"at\":", at, help, "}}"))
  }

  # What follows the request: so many bytes.
  take <- function(size) {
    bytes <- raw()
    while (length(bytes) < size) {
      more <- readBin(requests, "raw", size - length(bytes))
      if (length(more) == 0) break
      bytes <- c(bytes, more)
    }
    bytes
  }
  # Runs what stands before or after a block.
  run_part <- function(bytes) {
    if (length(bytes) > 0) eval(parse(text = rawToChar(bytes), keep.source = FALSE, encoding = "UTF-8"), globalenv())
  }
  # The code that has run.
  codes <- list()

  run <- function(bytes) {
    where <- NULL
    tryCatch({
      code <- rawToChar(bytes)
      codes[[length(codes) + 1L]] <<- code
      lines <- strsplit(code, "\n", fixed = TRUE)[[1]]
      if (length(lines) == 0) lines <- ""
      # What a function knows of the file that it stands in is the same everywhere.
      source <- srcfilecopy(request$label, lines, epoch, isFile = TRUE)
      expressions <- tryCatch(parse(text = lines, keep.source = TRUE, srcfile = source, encoding = "UTF-8"), error = function(error) {
        line <- regmatches(conditionMessage(error), regexec(":([0-9]+):[0-9]+:", conditionMessage(error)))[[1]]
        if (length(line) == 2) where <<- as.integer(line[2])
        stop(sub("^[^\n]*?:([0-9]+:[0-9]+:)", "line \\1", conditionMessage(error)), call. = FALSE)
      })
      places <- attr(expressions, "srcref")
      Encoding(lines) <- "UTF-8"
      before <- 0L
      for (at in seq_along(expressions)) {
        where <- as.integer(places[[at]])[1]
        if (request$transcript) {
          statement <- lines[(before + 1L):as.integer(places[[at]])[3]]
          while (length(statement) > 1 && !nzchar(trimws(statement[1]))) statement <- statement[-1]
          before <- as.integer(places[[at]])[3]
          place(paste0("{\"statement\":", quoted(paste(statement, collapse = "\n")), "}"))
        }
        withCallingHandlers({
          argument <- printed(expressions[[at]])
          if (is.null(argument)) {
            result <- withVisible(eval(expressions[[at]], globalenv()))
            if (result$visible) show(result$value)
          } else {
            value <- eval(argument, globalenv())
            if (is_plain(value)) show_plain(value) else print(value)
          }
        }, message = function(condition) {
          notice(conditionMessage(condition))
          invokeRestart("muffleMessage")
        }, warning = function(condition) {
          notice(paste0("Warning: ", conditionMessage(condition), "\n"))
          invokeRestart("muffleWarning")
        })
        if (at < length(expressions)) here()
      }
      0L
    }, error = function(error) {
      failure(error, where)
      1L
    })
  }

  # Name, type, shape and a short value of what the global environment holds.
  list_variables <- function() {
    held <- vapply(ls(globalenv()), function(name) {
      value <- get(name, globalenv())
      if (is.function(value)) return("")
      shape <- if (is.null(dim(value))) as.character(length(value)) else paste(dim(value), collapse = " x ")
      text <- substr(paste(utils::capture.output(utils::str(value, give.attr = FALSE)), collapse = " "), 1, 200)
      paste0("{\"name\":", quoted(name), ",\"kind\":", quoted(class(value)[1]), ",\"shape\":", quoted(shape), ",\"value\":", quoted(trimws(gsub("\\s+", " ", text))), "}")
    }, character(1))
    place(paste0("{\"variables\":[", paste(held[nzchar(held)], collapse = ","), "]}"))
    0L
  }

  # States ----
  #
  # A state is the global environment and what stands around it, serialized together so that what is shared stays shared. It
  # is only saved where no package is loaded but those that R itself attaches, and where nothing that ran names a function
  # that changes more than objects; anything else is in doubt, and the code is run again instead.
  doubtful <- paste0("\\b(", paste(c(
    "library", "require", "requireNamespace", "loadNamespace", "attachNamespace", "attach", "source", "sys.source", "eval", "evalq",
    "parse", "assignInNamespace", "assignInMyNamespace", "fixInNamespace", "unlockBinding", "lockBinding", "lockEnvironment",
    "makeActiveBinding", "delayedAssign", "reg.finalizer", "addTaskCallback", "globalCallingHandlers", "trace", "untrace", "debug",
    "debugonce", "undebug", "tracemem", "Rprof", "setHook", "registerS3method", "dyn.load", "Sys.umask", "Sys.setlocale",
    "Sys.setLanguage", "bindtextdomain", "setTimeLimit", "setSessionTimeLimit", "ps.options", "pdf.options", "X11.options",
    "pdfFonts", "postscriptFonts", "X11Fonts", "setEPS", "setPS", "palette", "enableJIT", "compilePKGS", "sink", "setClass",
    "setRefClass", "setMethod", "setGeneric", "setValidity", "as.environment", "pos.to.env", "topenv", "asNamespace", "getNamespace",
    "baseenv", "emptyenv", "environmentName", "sys.function", "mem.maxVSize", "nsl", "trace", "memoise"
  ), collapse = "|"), ")\\b|:::|\\.Internal|\\.Primitive|\\.Call|\\.External|\\.C\\(|\\.Fortran|\\.libPaths|\\.First|\\.Last")
  look_at_code <- function() {
    for (code in codes) {
      found <- regmatches(code, regexpr(doubtful, code, perl = TRUE))
      if (length(found) > 0) refuse("`", found, "` stands in its code")
    }
  }
  # Whether a method was registered that is no package's.
  has_own_methods <- function() any(vapply(loadedNamespaces(), function(name) {
    table <- asNamespace(name)[[".__S3MethodsTable__."]]
    any(vapply(as.list(table), function(method) is.function(method) && identical(environment(method), globalenv()), NA))
  }, NA))
  # Packages that R loads for its own work, and in which nothing is to be changed.
  harmless <- c("compiler", "tools")
  at_first <- function() list(
    options = options(), environment = Sys.getenv(), search = search(), loaded = sort(loadedNamespaces()),
    locale = Sys.getlocale(), connections = nrow(showConnections())
  )
  first <- NULL
  refuse <- function(...) stop(structure(class = c("vineloom_doubt", "error", "condition"), list(message = paste0(...), call = NULL)))

  save_state <- function(file, limit) tryCatch({
    look_at_code()
    now <- at_first()
    if (!identical(now$search, first$search) || length(setdiff(now$loaded, c(first$loaded, harmless))) > 0) refuse("it has loaded a package")
    if (now$connections != first$connections) refuse("it holds connections open")
    if (now$locale != first$locale || has_own_methods()) refuse("it has changed R itself")
    global <- globalenv()
    names <- ls(global, all.names = TRUE, sorted = FALSE)
    if (any(startsWith(names, ".__"))) refuse("it holds a class of its own")
    size <- sum(vapply(names, function(name) as.numeric(utils::object.size(get(name, global))), 0))
    if (size > limit) refuse("it is larger than running again is dear")
    changed <- function(before, after) after[!vapply(names(after), function(name) identical(after[[name]], before[[name]]), NA)]
    before <- as.list(first$environment)
    after <- as.list(now$environment)
    state <- list(
      values = mget(names, envir = global), folder = getwd(),
      options = c(changed(first$options, now$options), sapply(setdiff(names(first$options), names(now$options)), function(name) NULL)),
      set = changed(before, after), unset = setdiff(names(before), names(after))
    )
    bytes <- serialize(state, NULL, xdr = FALSE, refhook = function(reference) {
      if (typeof(reference) %in% c("externalptr", "weakref")) refuse("it holds a part of another library")
      NULL
    })
    writeBin(bytes, file)
    0L
  }, error = function(error) {
    send(paste0("{\"notice\":", quoted(if (inherits(error, "vineloom_doubt")) conditionMessage(error) else "it can't be told"), "}"))
    1L
  })
  load_state <- function(file) tryCatch({
    state <- unserialize(readBin(file, "raw", file.size(file)))
    setwd(state$folder)
    options(state$options)
    if (length(state$set) > 0) do.call(Sys.setenv, state$set)
    if (length(state$unset) > 0) Sys.unsetenv(state$unset)
    list2env(state$values, globalenv())
    0L
  }, error = function(error) 1L)

  field <- function(line, name) {
    parts <- strsplit(line, paste0("\"", name, "\":\""), fixed = TRUE)[[1]]
    if (length(parts) < 2) "" else strsplit(parts[2], "\"", fixed = TRUE)[[1]][1]
  }
  number_field <- function(line, name) {
    after <- strsplit(line, paste0("\"", name, "\":"), fixed = TRUE)[[1]][2]
    if (is.na(after) || startsWith(after, "null")) NA else as.numeric(strsplit(after, "[,}]")[[1]][1])
  }
  # The variables of a block's own environment, by name: each value comes as the hexadecimal digits of its bytes.
  environment_field <- function(line) {
    pairs <- strsplit(strsplit(field(line, "environment"), ";", fixed = TRUE)[[1]], "=", fixed = TRUE)
    bytes <- function(digits) as.raw(strtoi(substring(digits, seq.int(1L, nchar(digits), 2L), seq.int(2L, nchar(digits), 2L)), 16L))
    values <- lapply(pairs, function(pair) if (length(pair) == 2) rawToChar(bytes(pair[2])) else "")
    names(values) <- vapply(pairs, function(pair) pair[1], "")
    values
  }

  open_device <- function(...) {
    folder <- Sys.getenv("VINELOOM_FIGURES")
    width <- if (is.na(request$width)) 160 else request$width
    height <- if (is.na(request$height)) width * 0.625 else request$height
    if (request$format == "png") {
      dpi <- if (is.na(request$dpi)) 200 else request$dpi
      grDevices::png(file.path(folder, "r-%03d.png"), width = width, height = height, units = "mm", res = dpi, type = "cairo", bg = "transparent")
    } else {
      grDevices::svg(file.path(folder, "r-%03d.svg"), width = width / 25.4, height = height / 25.4, bg = "transparent")
    }
    # A plot can be recorded, and replayed in a later block.
    grDevices::dev.control("enable")
    # R's own margins are meant for a large window: these leave room for the labels of axes and for one title.
    graphics::par(mar = c(4.1, 4.1, 2.1, 1.1))
  }
  options(device = open_device, width = 90, warn = 1, crayon.enabled = FALSE)
  first <- at_first()

  repeat {
    line <- readLines(requests, n = 1, encoding = "UTF-8")
    if (length(line) == 0) break
    request <- list(
      mark = field(line, "mark"), file = field(line, "file"), label = field(line, "label"), format = field(line, "format"),
      width = number_field(line, "width"),
      height = number_field(line, "height"), dpi = number_field(line, "dpi"),
      transcript = grepl("\"transcript\":true", line, fixed = TRUE)
    )
    placed <- 0L
    environment <- environment_field(line)
    if (length(environment) > 0) do.call(Sys.setenv, environment)
    before <- take(number_field(line, "before"))
    code <- take(number_field(line, "size"))
    after <- take(number_field(line, "after"))
    run_part(before)
    exit <- switch(field(line, "task"),
      variables = list_variables(),
      save = save_state(request$file, number_field(line, "limit")),
      load = load_state(request$file),
      run(code))
    while (grDevices::dev.cur() > 1) grDevices::dev.off()
    run_part(after)
    if (length(environment) > 0) Sys.unsetenv(names(environment))
    mark <- sprintf("\002%s:end\003", request$mark)
    cat(mark)
    flush(stdout())
    cat(mark, file = stderr())
    send(sprintf("{\"done\":{\"exit\":%d}}", exit))
  }
})
# R's own functions stand before those that a block defines under the same names; methods are found as they are everywhere.
local({
  serve <- vineloom_serve
  syntax <- c("{", "(", "<-", "<<-", "if", "for", "while", "repeat", "break", "next", "function", "&&", "||")
  own <- Filter(function(name) is.function(baseenv()[[name]]), setdiff(all.names(serve, unique = TRUE), syntax))
  rm(vineloom_serve, envir = globalenv())
  eval(serve, list2env(mget(own, envir = baseenv()), parent = globalenv()))
})
