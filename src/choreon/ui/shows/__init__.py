"""Shows as files: beginning a new one, opening another, earlier versions, copies."""
