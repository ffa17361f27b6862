# Two commands for a newcomer: make demo, make test. Each installs what it lacks. make install puts the command
# hinterfeld on the PATH.

LIBRARY := .build/library
SOURCES := DESCRIPTION NAMESPACE $(shell find R src inst -type f ! -name '*.o' ! -name '*.so')

PREFIX ?= $(if $(filter 0,$(shell id -u)),/usr/local,$(HOME)/.local)

.PHONY: demo desk test bench sanitize install docs clean

demo: $(LIBRARY)/installed
	@R_LIBS=$(LIBRARY) inst/cli/hinterfeld demo --out demo-out

# The page on which to look around, with the demo's data.
desk: $(LIBRARY)/installed
	@R_LIBS=$(LIBRARY) inst/cli/hinterfeld desk --demo

test: .build/setup-test
	@tools/test

# Speed and memory: takes some minutes and writes RESULTS.md, FILES.md, DATABASE.md, RERUN.md and DESK.md in bench/.
bench: .build/setup-test $(LIBRARY)/installed
	@R_LIBS=$(LIBRARY) Rscript bench/run.R
	@R_LIBS=$(LIBRARY) Rscript bench/run-files.R
	@R_LIBS=$(LIBRARY) Rscript bench/database.R
	@R_LIBS=$(LIBRARY) Rscript bench/rerun.R
	@R_LIBS=$(LIBRARY) Rscript bench/desk.R

# The tests of the core with the compiled code watched for wrong memory and arithmetic.
sanitize: .build/setup-test
	@tools/sanitize

# The package into R's library, and the command hinterfeld into $(PREFIX)/bin.
install: .build/setup-demo
	@tools/install "$(PREFIX)"

# Help pages, NAMESPACE and the bindings of the compiled code, made from their sources.
docs: .build/setup-test
	@tools/docs .

clean:
	@rm -rf .build demo-out src/*.o src/*.so

$(LIBRARY)/installed: .build/setup-demo $(SOURCES)
	@mkdir -p $(LIBRARY)
	@echo "Building hinterfeld ..." >&2
	@R CMD INSTALL --library=$(LIBRARY) --preclean --clean --no-docs --no-test-load . > .build/install.log 2>&1 || { tail -n 20 .build/install.log >&2; exit 1; }
	@touch $@

.build/setup-%: DESCRIPTION tools/setup tools/missing-packages.R
	@tools/setup $*
