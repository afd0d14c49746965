"""Release notes: drafted from the app's repository, fitted to each store, kept per version, exported."""
