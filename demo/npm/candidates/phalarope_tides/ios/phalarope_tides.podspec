Pod::Spec.new do |s|
  s.name = 'phalarope_tides'
  s.version = '1.2.0'
  s.summary = 'Warns of the tide while you are out on the marsh.'
  s.homepage = 'https://docs.marram.example/phalarope_tides'
  s.license = 'MIT'
  s.author = 'Marram'
  s.source = { :path => '.' }
  s.source_files = 'Classes/**/*'
  s.platform = :ios, '16.0'
end
