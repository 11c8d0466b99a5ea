"""A firm's own identity provider: people sign in by it (OpenID Connect), and it brings them in and takes them out (SCIM 2.0)."""
