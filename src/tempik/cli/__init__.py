"""The command line: `main` knows the verbs, each module here is one of them or a family of them."""
