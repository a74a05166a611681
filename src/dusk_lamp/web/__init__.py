"""The pages. Views read the request, call one function of the core or the store, and render."""
