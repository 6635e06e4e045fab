#!/bin/sh
# What `cargo xtask test` compiles with in place of rustc, which is the first argument: Clippy, so that nothing is
# worked out twice. A program of tests calls the optimised library; optimised itself it would take minutes to compile
# and seconds less to run.
case " $* " in
    *" --test "*) exec "$VIVIDA_CLIPPY" "$@" -C opt-level=0 ;;
    *) exec "$VIVIDA_CLIPPY" "$@" ;;
esac
