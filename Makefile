# Two commands for a newcomer: make demo, make test. Each installs what it lacks. make install puts the command
# hinterfeld on the PATH.

LIBRARY := .build/library
JOBS := -j$(shell getconf _NPROCESSORS_ONLN)
SOURCES := DESCRIPTION NAMESPACE $(shell find R src inst -type f ! -name '*.o' ! -name '*.so')

PREFIX ?= $(if $(filter 0,$(shell id -u)),/usr/local,$(HOME)/.local)

.PHONY: demo desk test bench sanitize install docs clean

demo: $(LIBRARY)/installed
	@R_LIBS=$(LIBRARY) R_ENABLE_JIT=0 inst/cli/hinterfeld demo --out demo-out

# The page on which to look around, with the demo's data.
desk: $(LIBRARY)/installed
	@R_LIBS=$(LIBRARY) inst/cli/hinterfeld desk --demo

test: .build/setup-test
	@tools/test

# Speed and memory: takes some minutes and writes RESULTS.md, FILES.md, QUESTIONS.md, COMMANDS.md, DATABASE.md, RERUN.md and DESK.md in bench/.
bench: .build/setup-test .build/bench/installed
	@for file in run run-files questions commands database rerun desk; do R_LIBS=.build/bench Rscript bench/$$file.R || exit 1; done

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

# For the demo R code is not compiled to bytes, which takes longer than the demo.
$(LIBRARY)/installed: INTERPRETED := --no-byte-compile
%/installed: .build/setup-demo $(SOURCES)
	@mkdir -p $*
	@echo "Building hinterfeld ..." >&2
	@MAKEFLAGS=$(JOBS) R CMD INSTALL --library=$* --preclean --clean --no-docs --no-test-load $(INTERPRETED) . > .build/install.log 2>&1 || { tail -n 20 .build/install.log >&2; exit 1; }
	@touch $@

.build/setup-%: DESCRIPTION tools/setup tools/missing-packages.R
	@tools/setup $*
