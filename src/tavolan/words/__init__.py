"""Words: cutting text, coverage of phrases across locales and storefronts."""
