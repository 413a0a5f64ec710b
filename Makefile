# What people call; the work is in scripts/.
PORT ?= 8137
DATA ?= data

.PHONY: setup demo test bounds pictures timings fuzz format schema clean

setup:
	@bash scripts/setup.sh

demo: setup
	@.venv/bin/jukai demo --port $(PORT) --data $(DATA)

test: setup
	@bash scripts/test-tools.sh
	@.venv/bin/python -m tests.run

# The tests of the core with each index of the compiled loops checked: for those who write such loops.
bounds: setup
	@NUMBA_BOUNDSCHECK=1 JUKAI_KERNELS=.stamps/bounds .venv/bin/python -m tests.run core

pictures: setup
	@bash scripts/test-tools.sh
	@.venv/bin/python -m tests.browser.pictures $(ONLY)

timings: setup
	@bash scripts/timings-tools.sh
	@OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1 MKL_NUM_THREADS=1 NUMBA_NUM_THREADS=1 VTK_SMP_MAX_THREADS=1 \
		.venv-timings/bin/python -m timings $(ONLY)

# Chance bevels looked through by exact predicates; before a release. COUNT=2000 for fewer.
fuzz: setup
	@bash scripts/timings-tools.sh
	@OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1 .venv-timings/bin/python -m timings.fuzz $(COUNT)

format:
	@.venv/bin/ruff check --fix -q src tests timings; .venv/bin/ruff format -q src tests timings; npm --prefix frontend run -s format

# What is generated from the code and checked in; a test holds it against the code.
schema: setup
	@.venv/bin/python -m jukai.main
	@npm --prefix frontend run -s api

clean:
	rm -rf .venv .venv-timings .stamps frontend/node_modules src/jukai/web/static
