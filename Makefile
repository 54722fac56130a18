# Everything runs inside .venv, which `setup` makes from the pinned lock file.
PY := .venv/bin/python
STAMP := .venv/.ready
# Tests run in as many processes as there are processors, so each takes one thread.
ONE_THREAD := OMP_NUM_THREADS=1 MKL_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1

.PHONY: setup demo test fuzz lint bench verification screenshots schema share method lock clean

setup: $(STAMP)

$(STAMP): requirements.lock pyproject.toml scripts/system-libraries.sh
	sh scripts/system-libraries.sh
	python3 -m venv .venv
	$(PY) -m pip install --quiet --requirement requirements.lock
	$(PY) -m pip install --quiet --no-deps --editable .
	touch $(STAMP)

demo: $(STAMP)
	sh scripts/demo.sh

# What tests of one file share is solved once, so a file stays with one process.
test: $(STAMP)
	$(ONE_THREAD) QT_QPA_PLATFORM=offscreen $(PY) -m pytest --numprocesses auto --dist loadfile \
		--no-loadscope-reorder

# Random sheets, meshes, results files and edits, thousands of each.
fuzz: $(STAMP)
	$(ONE_THREAD) HYPOTHESIS_PROFILE=long $(PY) -m pytest -m fuzz --numprocesses auto

lint: $(STAMP)
	.venv/bin/ruff check .
	.venv/bin/ruff format --check .
	.venv/bin/mypy
	.venv/bin/lint-imports

bench: $(STAMP)
	$(PY) -m benchmarks

# Every reference case, and the table of measured errors.
verification: $(STAMP)
	$(ONE_THREAD) $(PY) -m verification

screenshots: $(STAMP)
	QT_QPA_PLATFORM=offscreen $(PY) scripts/screenshots.py

schema: $(STAMP)
	$(PY) scripts/write_schema.py

# The manual page and the shell completion, from the commands there are.
share: $(STAMP)
	$(PY) scripts/write_share.py

# After the code that decides numbers has changed, and the version of the method with it.
method: $(STAMP)
	$(PY) scripts/record_method.py

# Takes the newest versions pyproject.toml admits; look at the difference before committing it.
lock:
	python3 -m venv .venv-lock
	.venv-lock/bin/python -m pip install --quiet --editable '.[dev]'
	.venv-lock/bin/python -m pip freeze --exclude-editable > requirements.lock
	rm -rf .venv-lock

clean:
	rm -rf .venv .venv-lock .mypy_cache .ruff_cache .pytest_cache .import_linter_cache .hypothesis
