"""What every page shares: base templates, components, middleware, and the desk."""
