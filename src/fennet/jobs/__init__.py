"""The process that reads large files in the background; it goes when there is none left, and comes again by itself."""
