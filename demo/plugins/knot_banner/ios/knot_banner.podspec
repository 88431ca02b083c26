Pod::Spec.new do |s|
  s.name = 'knot_banner'
  s.version = '5.1.0'
  s.summary = 'A banner that pays for the server.'
  s.homepage = 'https://docs.marram.example/knot_banner'
  s.license = 'MIT'
  s.author = 'Marram'
  s.source = { :path => '.' }
  s.source_files = 'Classes/**/*'
  s.platform = :ios, '13.0'
end
