"""What is looked for, a module for each family; each rule takes a measured kit and yields findings."""
